package usecase

import (
	"bytes"
	"context"
	"errors"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"frizzel/internal/oneoff"
	"frizzel/internal/rules"

	"github.com/stretchr/testify/require"

	"frizzel/core/compile"
	"frizzel/core/diff"
	"frizzel/core/script"
	"frizzel/internal/change"
	"frizzel/internal/disk"
	"frizzel/internal/exit"
	"frizzel/internal/hook"
	"frizzel/internal/run"
	"frizzel/internal/vault/history"
	"frizzel/internal/vault/store"
)

// railway is a directory of two files, with a history of its own, and rules.
type railway struct {
	dir   string
	store *store.Store
	rules *rules.Compiled
}

func newRailway(t *testing.T, statements string) *railway {
	root := t.TempDir()
	r := &railway{dir: filepath.Join(root, "railway"), store: store.Open(filepath.Join(root, "state"), disk.Real{})}
	r.write(t, "conf/clock.ini", "server = depot-3\n[log]\nhost = depot-3\n")
	r.write(t, "docs/notice.md", "Call depot-30.\n")
	var err error
	oneOff, problems := script.Parse(oneoff.Name, statements)
	require.Empty(t, problems)
	r.rules, err = rules.Compile(rules.Given{OneOff: oneOff})
	require.NoError(t, err)
	return r
}

func (r *railway) write(t *testing.T, name, text string) {
	path := filepath.Join(r.dir, name)
	require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
	require.NoError(t, os.WriteFile(path, []byte(text), 0o640))
}

func (r *railway) read(t *testing.T, name string) string {
	content, err := os.ReadFile(filepath.Join(r.dir, name))
	require.NoError(t, err)
	return string(content)
}

func (r *railway) plan(t *testing.T) *run.Plan {
	p, err := NewPlan(Files{Paths: []string{r.dir}, Store: r.store}, r.rules)
	require.NoError(t, err)
	return p
}

func (r *railway) writing(out *bytes.Buffer) Writing {
	return Writing{Store: r.store, Command: []string{"frizzel"}, Out: out}
}

// The whole job without a command line: look, preview, seal, apply, look again, undo, redo.
func TestTheWholeJob(t *testing.T) {
	r := newRailway(t, `replace word "depot-3" with "depot-4"`)
	var found, shown int
	_, err := r.plan(t).Find(t.Context(), run.Changes, func(f *run.Found) error {
		n, err := f.Count()
		found += n
		return err
	})
	require.NoError(t, err)
	require.Equal(t, 2, found)
	sealing := &Sealing{Rules: r.rules, Diff: func(io.Writer, *run.Result) error { return nil }}
	p, err := Preview(t.Context(), PreviewOptions{Plan: r.plan(t), Show: func(f *run.Result) error {
		shown++
		return sealing.Add(f)
	}})
	require.NoError(t, err)
	require.Equal(t, []int{1, 1, 2}, []int{shown, p.Summary.Changed, p.Summary.Changes})

	var out bytes.Buffer
	apply := func() *Applied {
		a, err := Apply(t.Context(), ApplyOptions{Rules: r.rules, Plan: r.plan(t), Write: r.writing(&out), Show: func(*run.Result) error { return nil }})
		require.NoError(t, err)
		return a
	}
	a := apply()
	require.Equal(t, 1, a.Files)
	require.Equal(t, "server = depot-4\n[log]\nhost = depot-4\n", r.read(t, "conf/clock.ini"))
	require.Nil(t, apply().Run, "a second run writes nothing")

	var text bytes.Buffer
	_, err = sealing.WriteTo(&text)
	require.NoError(t, err)
	sealed := filepath.Join(t.TempDir(), "review.seal")
	require.NoError(t, os.WriteFile(sealed, text.Bytes(), 0o600))
	s, err := ReadSeal(sealed)
	require.NoError(t, err)
	applySeal := func() (*SealApplied, error) {
		return ApplySeal(t.Context(), ApplySealOptions{Seal: s, Write: r.writing(&out), Take: func(*change.Change, string, int, diff.Windows) (bool, error) { return true, nil }})
	}
	done, err := applySeal()
	require.NoError(t, err)
	require.Equal(t, []int{0, 1}, []int{done.Files, done.Done})

	undo := func(kind store.Kind, names ...string) (*TakenBack, error) {
		return Undo(t.Context(), UndoOptions{Kind: kind, Names: names, Write: r.writing(&out)})
	}
	back, err := undo(store.Undo)
	require.NoError(t, err)
	require.Equal(t, 1, back.Files)
	require.Contains(t, r.read(t, "conf/clock.ini"), "host = depot-3\n")
	done, err = applySeal()
	require.NoError(t, err)
	require.Equal(t, 1, done.Files)
	_, err = undo(store.Redo, "1")
	require.NoError(t, err, "the undo of run 1 is taken back, its file is as it was already")
	_, err = undo(store.Redo, done.Run.Name())
	var refusedErr *exit.Error
	require.ErrorAs(t, err, &refusedErr)
	r.write(t, "conf/clock.ini", "someone else's\n")
	_, err = applySeal()
	require.ErrorAs(t, err, &refusedErr)
	require.Contains(t, err.Error(), "clock.ini")
	require.Empty(t, out.String())
}

// What must hold and does not, what cannot be read, and a proof that fails: nothing is
// written, and the error says which.
func TestNothingIsWritten(t *testing.T) {
	var out bytes.Buffer
	r := newRailway(t, "replace word \"depot-3\" with \"depot-4\"\nforbid word \"depot-30\"")
	options := func() ApplyOptions {
		return ApplyOptions{Rules: r.rules, Plan: r.plan(t), Write: r.writing(&out), Show: func(*run.Result) error { return nil }}
	}
	_, err := Apply(t.Context(), options())
	var refusedErr *exit.Error
	require.ErrorAs(t, err, &refusedErr)
	require.Contains(t, err.Error(), "forbidden")

	r = newRailway(t, `replace word "depot-3" with "depot-4"`)
	require.NoError(t, os.WriteFile(filepath.Join(r.dir, "wide"), []byte("ok\n"), 0o644))
	require.NoError(t, os.Truncate(filepath.Join(r.dir, "wide"), 0))
	o := options()
	o.Write.Prove = &hook.Proof{Command: "echo it does not hold; exit 7", Limit: time.Minute, Out: &out}
	_, err = Apply(t.Context(), o)
	var proof *hook.ProofError
	require.ErrorAs(t, err, &proof)
	require.Equal(t, "it does not hold\n", out.String())
	o = options()
	o.Ask = func(_ context.Context, all []*run.Pending, _ func() []string) (bool, error) {
		require.Len(t, all, 1)
		return false, nil
	}
	_, err = Apply(t.Context(), o)
	require.ErrorIs(t, err, ErrNothingTaken)
	require.Contains(t, r.read(t, "conf/clock.ini"), "host = depot-3\n")

	_, err = rules.Compile(rules.Given{Scripts: []string{filepath.Join(r.dir, "nowhere.friz")}})
	var wrongErr *exit.Error
	require.ErrorAs(t, err, &wrongErr)
	_, err = rules.Compile(rules.Given{Scripts: []string{"/dev/zero"}})
	require.ErrorContains(t, err, "is longer than the 16 MiB that it may be")
	_, err = Undo(t.Context(), UndoOptions{Kind: store.Undo, Write: r.writing(&out)})
	require.ErrorAs(t, err, &refusedErr)
}

// Undo in part, around later changes, and by force; who is asked decides.
func TestUndoInPart(t *testing.T) {
	var out bytes.Buffer
	r := newRailway(t, `replace text "depot-3" with "depot-4"`)
	_, err := Apply(t.Context(), ApplyOptions{Rules: r.rules, Plan: r.plan(t), Write: r.writing(&out), Show: func(*run.Result) error { return nil }})
	require.NoError(t, err)
	r.write(t, "conf/clock.ini", r.read(t, "conf/clock.ini")+"# a later note\n")
	o := UndoOptions{Kind: store.Undo, Write: r.writing(&out)}
	back, err := Undo(t.Context(), o)
	require.NoError(t, err)
	require.Equal(t, []int{1, 1}, []int{back.Files, len(back.Left)})
	asked := 0
	o.Later, o.Take = TakeLater, func(b *history.Back, text diff.Windows) (bool, error) {
		asked++
		require.True(t, b.Later)
		return true, text(func(win diff.Window) error {
			require.Contains(t, string(win.Text), "# a later note")
			return nil
		})
	}
	_, err = Undo(t.Context(), o)
	require.NoError(t, err)
	require.Equal(t, 1, asked)
	require.Equal(t, "server = depot-3\n[log]\nhost = depot-3\n# a later note\n", r.read(t, "conf/clock.ini"))
	_, err = Undo(t.Context(), UndoOptions{Kind: store.Undo, Names: []string{"1"}, Write: r.writing(&out)})
	require.ErrorContains(t, err, "taken back already")
}

// A file that looks as the run left it, and is not, is found out before it is written and left
// alone, and the others are taken back; a person who is asked is never shown it as taken back.
func TestUndoOfWhatOnlyLooksSo(t *testing.T) {
	for _, asks := range []bool{false, true} {
		var out bytes.Buffer
		r := newRailway(t, `replace text "depot-3" with "depot-4"`)
		_, err := Apply(t.Context(), ApplyOptions{Rules: r.rules, Plan: r.plan(t), Write: r.writing(&out), Show: func(*run.Result) error { return nil }})
		require.NoError(t, err)
		path := filepath.Join(r.dir, "conf/clock.ini")
		is, err := os.Stat(path)
		require.NoError(t, err)
		theirs := strings.Replace(r.read(t, "conf/clock.ini"), "depot", "DEPOT", 1)
		r.write(t, "conf/clock.ini", theirs)
		require.NoError(t, os.Chtimes(path, is.ModTime(), is.ModTime()))
		o := UndoOptions{Kind: store.Undo, Write: r.writing(&out), Asks: asks, Take: func(b *history.Back, _ diff.Windows) (bool, error) {
			require.False(t, asks && strings.HasSuffix(b.Path, "clock.ini"))
			return true, nil
		}}
		back, err := Undo(t.Context(), o)
		require.NoError(t, err)
		require.Equal(t, []int{1, 1}, []int{back.Files, len(back.Left)})
		require.Equal(t, theirs, r.read(t, "conf/clock.ini"))
		wrong, _, err := history.Verify(r.store)
		require.NoError(t, err)
		require.Empty(t, wrong)
	}
}

// Layout writes what fmt writes, as a run like others; check counts and tells.
func TestScripts(t *testing.T) {
	var out bytes.Buffer
	r := newRailway(t, `replace text "a" with "b"`)
	r.write(t, "rules/a.friz", "replace   word \"a\" with \"b\"\nexample { given \"a\" gives \"c\" }\n")
	var differs []string
	w := r.writing(&out)
	o := LayoutOptions{Paths: []string{r.dir}, Write: &w, Differs: func(p string) { differs = append(differs, filepath.Base(p)) }}
	l, err := Layout(t.Context(), o)
	require.NoError(t, err)
	require.NotNil(t, l.Run)
	require.Equal(t, []string{"a.friz"}, differs)
	require.True(t, strings.HasPrefix(r.read(t, "rules/a.friz"), "replace word \"a\" with \"b\"\n\nexample {\n"))
	var problems []script.Problem
	c, err := rules.Check(t.Context(), rules.CheckOptions{
		Paths:    []string{r.dir},
		Problems: func(p script.Problems) error { problems = append(problems, p...); return nil },
		Trial:    func(*script.Script, *compile.Trial) error { return nil },
	})
	require.NoError(t, err)
	require.Equal(t, rules.Checked{Scripts: 1, Failed: 1}, *c)
	require.Empty(t, problems)
	stop := errors.New("stop")
	_, err = rules.Check(t.Context(), rules.CheckOptions{Paths: []string{r.dir}, Problems: func(script.Problems) error { return nil },
		Trial: func(*script.Script, *compile.Trial) error { return stop }})
	require.ErrorIs(t, err, stop)

	var filtered bytes.Buffer
	require.NoError(t, Filter(t.Context(), FilterOptions{Rules: r.rules, In: strings.NewReader("a\nc\n"), Out: &filtered, OnlyChanged: true}))
	require.Equal(t, "b\n", filtered.String())
}

// A long input that is not decided line by line is filtered as a short one is, whatever comes of
// it: the first lines of it, said again and again, tell what the rest becomes.
func TestFilterLongInput(t *testing.T) {
	const part = "\n[box]\nclock {\n  host = depot-3\n}\n\n[kiosk]\nhost = depot-3\n"
	short := strings.Repeat(part, 3)
	times := (held+held/8)/len(part) + 1
	for i, rules := range []string{
		"in paragraph with text \"[box]\" replace text \"depot-3\" with \"depot-44\"",
		"in block with word \"clock\" insert below \"# seen\"\nin section \"kiosk\" replace text \"depot-3\" with \"depot-44\"",
		"in section \"box\" replace text \"depot\" with \"x\"", // which needs the whole text
		"in paragraph with text \"[box]\" replace text \"depot-3\" with \"x\"\nrequire word \"signal\"",
		"on lines from text \"kiosk\" to text \"signal\" delete", // never closed
	} {
		r := newRailway(t, rules)
		run := func(in string) (string, error) {
			var out strings.Builder
			err := Filter(t.Context(), FilterOptions{Rules: r.rules, In: strings.NewReader(in), Out: &out, OnlyChanged: i%2 == 1, Note: func(int, string) {}})
			return out.String(), err
		}
		want, wantErr := run(short)
		got, gotErr := run(strings.Repeat(part, times))
		require.True(t, strings.Repeat(want, times)[:len(want)/3*times] == got, "%s: %d for %d, %.100q", rules, len(got), len(want)/3*times, got)
		require.Equal(t, wantErr == nil, gotErr == nil, "%s: %v", rules, gotErr)
	}
	var out bytes.Buffer
	r := newRailway(t, "on lines with text \"~\" delete\nin paragraph with text \"signal\" delete") // all of the last window
	require.NoError(t, Filter(t.Context(), FilterOptions{Rules: r.rules, In: strings.NewReader(strings.Repeat(part, times) + strings.Repeat("~\n", 1<<20) + "~"), Out: &out}))
	require.True(t, strings.TrimSuffix(strings.Repeat(part, times), "\n") == out.String())

	out.Reset()
	t.Setenv("TMPDIR", filepath.Join(t.TempDir(), "gone"))
	r = newRailway(t, "in paragraph with text \"[box]\" delete")
	err := Filter(t.Context(), FilterOptions{Rules: r.rules, In: strings.NewReader(strings.Repeat(part, times)), Out: &out, Note: func(int, string) {}})
	require.ErrorContains(t, err, "TMPDIR")
	require.Zero(t, out.Len())
}
