package vault

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/require"

	"frizzel/core/edit"
	"frizzel/internal/change"
	"frizzel/internal/digest"
	"frizzel/internal/disk"
	"frizzel/internal/vault/history"
	"frizzel/internal/vault/hold"
	"frizzel/internal/vault/store"
	"frizzel/internal/vault/transaction"
)

// world is what the model knows: the tree as a person sees it, and of each run what became
// of each of its files.
type world struct {
	tree map[string]string // "MODE content"
	runs []*modelRun
}

type modelRun struct {
	kind          store.Kind
	undoes        int               // a run, from 1; 0 for none
	before, after map[string]string // of its files, "" for none
	state         store.State
	held          time.Duration
	ended         time.Time
}

// undone returns the files of run n that are taken back.
func (w *world) undone(n int) map[string]bool {
	gone := map[string]bool{}
	for i, r := range w.runs {
		if r.undoes != n || !r.state.Succeeded() {
			continue
		}
		again := w.undone(i + 1)
		for path := range r.after {
			if !again[path] {
				gone[path] = true
			}
		}
	}
	return gone
}

// life is a vault and its model, step by step.
type life struct {
	*yard
	world
	t    *testing.T
	r    *rand.Rand
	said []string
}

// step does something with both, and compares them.
func (l *life) step() {
	switch l.r.IntN(10) {
	case 0, 1, 2:
		l.apply()
	case 3, 4:
		l.takeBack(store.Undo)
	case 5:
		l.takeBack(store.Redo)
	case 6:
		l.someoneWrites()
	case 7:
		l.keep()
	case 8:
		l.cutOff()
	default:
		time.Sleep(time.Duration(l.r.IntN(120)) * time.Second)
		l.say("time passes")
	}
	l.recover()
	l.compare()
}

func (l *life) say(format string, args ...any) { l.said = append(l.said, fmt.Sprintf(format, args...)) }

func (l *life) fail() string { return strings.Join(l.said, "\n") }

// algorithm is that of a digest: the fastest one, or that of another machine.
func (l *life) algorithm() digest.Algorithm {
	return []digest.Algorithm{digest.SHA256, digest.BLAKE3}[l.r.IntN(2)]
}

// paths are files of the tree, some of them.
func (l *life) paths() []string {
	all := slices.Sorted(maps.Keys(l.world.tree))
	return slices.DeleteFunc(all, func(string) bool { return l.r.IntN(2) == 0 })
}

// changes are what an apply does: most files are rewritten, one may be made or removed.
func (l *life) changes() (all change.List, after map[string]string) {
	after = map[string]string{}
	for _, path := range l.paths() {
		content, info, _ := l.Read(path)
		c := change.Change{Path: path, Dir: filepath.Dir(path), Name: filepath.Base(path), Before: l.algorithm().Of([]byte(content))}
		if l.r.IntN(8) == 0 {
			c.Op, c.Edits, after[path] = change.Remove, edit.List{{End: len(content)}}, ""
		} else {
			fresh := fmt.Sprintf("%d ", l.r.IntN(1000))
			c.Edits = edit.List{{New: []byte(fresh)}}
			after[path] = fmt.Sprintf("%o %s", info.Mode, fresh+content)
		}
		all = append(all, c)
	}
	if path := fmt.Sprintf("/tree/new-%d", l.r.IntN(4)); l.r.IntN(3) == 0 && l.world.tree[path] == "" {
		text := fmt.Sprintf("made %d\n", l.r.IntN(1000))
		all = append(all, change.Change{
			Path: path, Dir: "/tree", Name: filepath.Base(path), Op: change.Create, Edits: edit.List{{New: []byte(text)}},
			Meta: disk.Meta{Mode: 0o600, UID: os.Geteuid(), GID: os.Getegid()},
		})
		after[path] = "600 " + text
	}
	return all, after
}

// run adds a run to the model, and what it wrote to the tree.
func (l *life) run(kind store.Kind, undoes int, after map[string]string, held time.Duration) {
	r := &modelRun{kind: kind, undoes: undoes, before: map[string]string{}, after: after, state: store.Done, held: held, ended: time.Now()}
	if held > 0 {
		r.state = store.Held
	}
	for path, text := range after {
		r.before[path] = l.world.tree[path]
		l.set(path, text)
	}
	l.runs = append(l.runs, r)
}

func (l *life) set(path, text string) {
	if text == "" {
		delete(l.world.tree, path)
	} else {
		l.world.tree[path] = text
	}
}

func (l *life) apply() {
	l.recover() // as an apply does
	changes, after := l.changes()
	if len(changes) == 0 {
		return
	}
	intent := transaction.Intent{Kind: store.Apply}
	if l.r.IntN(4) == 0 {
		intent.Hold = time.Minute
	}
	fails := l.r.IntN(5) == 0
	if fails {
		intent.Prove = func(context.Context) error { return errors.New("it does not hold") }
	}
	l.say("apply %v, hold %v, fails %v", slices.Sorted(maps.Keys(after)), intent.Hold, fails)
	err := l.locked(func(ctx context.Context, s *store.Locked) error {
		_, err := transaction.Write(ctx, s, intent, changes)
		return err
	})
	if fails {
		require.ErrorContains(l.t, err, "it does not hold", l.fail())
		l.runs = append(l.runs, &modelRun{kind: store.Apply, state: store.PutBack})
		return
	}
	require.NoError(l.t, err, l.fail())
	l.run(store.Apply, 0, after, intent.Hold)
}

// takeBack takes a random run back, whole or in part, perhaps by force.
func (l *life) takeBack(kind store.Kind) {
	l.recover()
	if len(l.runs) == 0 {
		return
	}
	n := 1 + l.r.IntN(len(l.runs))
	r := l.runs[n-1]
	if !r.state.Succeeded() || (kind == store.Redo) != (r.kind == store.Undo) {
		return
	}
	how := history.Reversal{Force: l.r.IntN(3) == 0}
	if l.r.IntN(2) == 0 {
		how.Paths = l.paths()
	}
	want, left := l.reversed(n, how)
	l.say("%s of run %d, %+v: want %v, left %v", kind, n, how, slices.Sorted(maps.Keys(want)), left)
	var files []string
	require.NoError(l.t, l.locked(func(ctx context.Context, s *store.Locked) error {
		records, _, err := s.Runs()
		if err != nil {
			return err
		}
		back, gotLeft, err := reversal(s.Store, records, records[n-1], how)
		if err != nil {
			return err
		}
		require.Len(l.t, gotLeft, len(left), "%s\n%v", l.fail(), gotLeft)
		var changes change.List
		for _, b := range back {
			require.False(l.t, b.Later, l.fail())
			changes = append(changes, b.Change)
			files = append(files, b.Absolute())
		}
		slices.Sort(files)
		if len(changes) == 0 {
			return nil
		}
		_, err = transaction.Write(ctx, s, transaction.Intent{Kind: kind, Undoes: records[n-1].ID}, changes)
		return err
	}), l.fail())
	require.Equal(l.t, slices.Sorted(maps.Keys(want)), files, l.fail())
	if len(want) > 0 {
		l.run(kind, n, want, 0)
	}
}

// reversed returns what the files are to be once run n is taken back, and those that are
// left alone.
func (l *life) reversed(n int, how history.Reversal) (want map[string]string, left []string) {
	r, undone := l.runs[n-1], l.undone(n)
	want = map[string]string{}
	for path, after := range r.after {
		before, now := r.before[path], l.world.tree[path]
		switch {
		case undone[path], len(how.Paths) > 0 && !slices.Contains(how.Paths, path):
		case content(now) == content(before) && (now == "") == (before == ""): // as it was already
		case content(now) == content(after) && (now == "") == (after == ""), how.Force:
			want[path] = before
			if now != "" && before != "" { // the mode is the file's, whatever it was then
				mode, _, _ := strings.Cut(now, " ")
				want[path] = mode + " " + content(before)
			}
		default:
			left = append(left, path)
		}
	}
	return want, left
}

func content(text string) string {
	_, c, _ := strings.Cut(text, " ")
	return c
}

// someoneWrites changes a file, its mode, or takes it away.
func (l *life) someoneWrites() {
	paths := l.paths()
	if len(paths) == 0 {
		return
	}
	path := paths[0]
	text, _, _ := l.Read(path)
	l.Remove(path)
	switch l.r.IntN(3) {
	case 0:
		l.set(path, "")
	case 1:
		text = fmt.Sprintf("someone's %d\n", l.r.IntN(1000))
		l.File(path, text, 0o644)
		l.set(path, "644 "+text)
	default:
		l.File(path, text, 0o604)
		l.set(path, "604 "+text)
	}
	l.say("someone changes %s: %q", path, l.world.tree[path])
}

func (l *life) keep() {
	for i, r := range l.runs {
		if r.state == store.Held && time.Since(r.ended) < r.held {
			l.say("keep run %d", i+1)
			require.NoError(l.t, l.locked(func(_ context.Context, s *store.Locked) error {
				_, err := hold.Keep(s, fmt.Sprint(i+1))
				return err
			}), l.fail())
			r.state = store.Kept
			return
		}
	}
}

// cutOff lets the machine go down in the midst of an apply, with all that was synced and
// some of what was not.
func (l *life) cutOff() {
	l.recover()
	changes, after := l.changes()
	if len(changes) == 0 {
		return
	}
	at := 1 + l.r.IntN(120)
	l.say("apply %v, cut off at operation %d", slices.Sorted(maps.Keys(after)), at)
	operations, ended := 0, false
	l.Before = func(string, string) error {
		if operations++; operations == at {
			panic(errDown)
		}
		return nil
	}
	func() {
		defer func() {
			l.Before = nil
			if r := recover(); r != nil && r != any(errDown) {
				panic(r)
			}
		}()
		require.NoError(l.t, l.locked(func(ctx context.Context, s *store.Locked) error {
			_, err := transaction.Write(ctx, s, transaction.Intent{Kind: store.Apply}, changes)
			return err
		}), l.fail())
		ended = true
	}()
	if ended {
		l.run(store.Apply, 0, after, 0)
		return
	}
	l.Disk = l.Crash(l.r)
	l.recoverStore()
	records, _, err := l.store().Runs()
	require.NoError(l.t, err, l.fail())
	if len(records) == len(l.runs) {
		return // it was cut off before it began
	}
	if last := records[len(records)-1]; last.State() == store.Done {
		l.run(store.Apply, 0, after, 0)
	} else {
		l.runs = append(l.runs, &modelRun{kind: store.Apply, state: store.PutBack})
	}
}

func (l *life) recoverStore() {
	require.NoError(l.t, l.locked(func(ctx context.Context, s *store.Locked) error {
		recovered, damaged, err := transaction.Recover(ctx, s, never)
		require.Empty(l.t, damaged, l.fail())
		for _, one := range recovered {
			require.NoError(l.t, one.Err, l.fail())
			require.Empty(l.t, one.Left, l.fail())
		}
		return err
	}), l.fail())
}

// recover takes back what nobody kept, in both.
func (l *life) recover() {
	l.recoverStore()
	require.NoError(l.t, l.locked(func(ctx context.Context, s *store.Locked) error {
		_, err := hold.Overdue(ctx, s, nil, never)
		return err
	}), l.fail())
	for i, r := range l.runs[:len(l.runs):len(l.runs)] {
		if r.state != store.Held || time.Since(r.ended) < r.held {
			continue
		}
		want, _ := l.reversed(i+1, history.Reversal{})
		l.say("run %d lapses: %v", i+1, slices.Sorted(maps.Keys(want)))
		if len(want) > 0 {
			l.run(store.Undo, i+1, want, 0)
		}
		r.state = store.Lapsed
	}
}

// compare holds the tree and the history against the model.
func (l *life) compare() {
	require.Equal(l.t, l.world.tree, l.yard.tree(), l.fail())
	records, damaged, err := l.store().Runs()
	require.NoError(l.t, err)
	require.Empty(l.t, damaged, l.fail())
	require.Len(l.t, records, len(l.runs), l.fail())
	undone, err := history.Undone(records)
	require.NoError(l.t, err)
	for i, r := range records {
		m := l.runs[i]
		require.Equal(l.t, m.state, r.State(), "run %d\n%s", i+1, l.fail())
		require.Equal(l.t, m.kind, r.Kind, l.fail())
		if m.state.Succeeded() {
			require.Equal(l.t, len(l.undone(i+1)), undone[r.ID], "run %d\n%s", i+1, l.fail())
		}
	}
	bad, _, err := history.Verify(l.store())
	require.NoError(l.t, err)
	require.Empty(l.t, bad, l.fail())
}

// The whole life of a vault against a model: random applies, failing ones, holds, keeps,
// partial and forced undos, redos, files that someone else changes, crashes, a clock that
// goes on and is set back: contents, modes and history are the model's after each step.
func TestLife(t *testing.T) {
	warm(t)
	for seed := range uint64(rounds(3) * 15) {
		synctest.Test(t, func(t *testing.T) {
			y := &yard{Disk: NewDisk(Kinds()[seed%3])}
			y.Dir("/tree", 2)
			y.Dir("/var", 1)
			for i := range 4 {
				y.File(fmt.Sprintf("/tree/%d", i), fmt.Sprintf("host = depot-%d\n", i), 0o640)
			}
			l := &life{yard: y, world: world{tree: y.tree()}, t: t, r: rand.New(rand.NewPCG(seed, 77))}
			l.say("seed %d", seed)
			for range 25 {
				l.step()
			}
		})
	}
}
