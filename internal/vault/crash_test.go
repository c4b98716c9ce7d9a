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
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"frizzel/core/diff"
	"frizzel/core/edit"
	"frizzel/internal/change"
	"frizzel/internal/digest"
	"frizzel/internal/disk"
	"frizzel/internal/vault/history"
	"frizzel/internal/vault/hold"
	"frizzel/internal/vault/store"
	"frizzel/internal/vault/transaction"
)

// errDown is the panic of a machine that goes down.
var errDown = errors.New("the machine went down")

// job is something that is done to a tree of files, all of it or nothing.
type job struct {
	name  string
	build func(y *yard)                                    // the tree, all of it safe
	first func(ctx context.Context, l *store.Locked) error // what was done before, its end on disk or not
	do    func(ctx context.Context, l *store.Locked) error
	// also is what the files may be as well while the job is not at its end.
	also func(tree map[string]string) map[string]string
	// done asks of a disk that was found whether what do reported holds, if the files
	// do not tell.
	done func(s *store.Store) error
}

// yard is a disk with a tree and a store.
type yard struct {
	*Disk
	fail   func(op, name string) error // the error of an operation, nil for none
	limits *store.Limits               // nil for those that are usual
}

const statePath = "/var/state/frizzel"

func (y *yard) store() *store.Store {
	s := store.Open(statePath, y.Disk)
	if y.limits != nil {
		s.Limits = *y.limits
	}
	return s
}

// streamed makes every content one that is too large to be held in memory, and to be compressed well.
var streamed = &store.Limits{MaxHeld: -1}

// locked does something with the store locked.
func (y *yard) locked(do func(ctx context.Context, l *store.Locked) error) error {
	ctx := context.Background()
	l, err := y.store().Lock(ctx)
	if err != nil {
		return err
	}
	defer l.Unlock()
	return do(ctx, l)
}

// tree is what a person sees: each file's content and mode.
func (y *yard) tree() map[string]string {
	all := map[string]string{}
	for _, path := range append(y.Names("/tree"), y.Names("/mnt")...) {
		content, info, _ := y.Read(path)
		all[path] = fmt.Sprintf("%o %s", info.Mode, content)
	}
	return all
}

// rewrite is the change of a file that makes a text another one.
func (y *yard) rewrite(path, old, fresh string) change.Change {
	content, _, _ := y.Read(path)
	var edits edit.List
	for at := 0; ; {
		i := strings.Index(content[at:], old)
		if i < 0 {
			break
		}
		edits = append(edits, edit.Edit{Start: at + i, End: at + i + len(old), New: []byte(fresh), Rules: []int{0}})
		at += i + len(old)
	}
	return change.Change{
		Path: path, Dir: filepath.Dir(path), Name: filepath.Base(path),
		Before: digest.Of([]byte(content)), Edits: edits,
	}
}

func apply(changes func() change.List, intent transaction.Intent) func(context.Context, *store.Locked) error {
	return func(ctx context.Context, l *store.Locked) error {
		intent.Kind = store.Apply
		_, err := transaction.Write(ctx, l, intent, changes())
		return err
	}
}

// undoLast takes the last run back.
func undoLast(ctx context.Context, l *store.Locked) error {
	return reverse(ctx, l, store.Apply, store.Undo)
}

// redoLast does again what was taken back last.
func redoLast(ctx context.Context, l *store.Locked) error {
	return reverse(ctx, l, store.Undo, store.Redo)
}

// reversal gathers what takes a run back.
func reversal(s *store.Store, records []*store.Record, r *store.Record, how history.Reversal) (all []history.Back, left []store.Left, err error) {
	left, _, err = history.Reverse(s, records, r, how, func(b *history.Back) error {
		all = append(all, *b)
		return nil
	})
	return all, left, err
}

func reverse(ctx context.Context, l *store.Locked, last, kind store.Kind) error {
	records, _, err := l.Runs()
	if err != nil {
		return err
	}
	r, err := history.Last(records, last)
	if err != nil {
		return err
	}
	back, left, err := reversal(l.Store, records, r, history.Reversal{})
	if err != nil || len(left) > 0 {
		return errors.Join(err, fmt.Errorf("%v", left))
	}
	var changes change.List
	for _, b := range back {
		changes = append(changes, b.Change)
	}
	_, err = transaction.Write(ctx, l, transaction.Intent{Kind: kind, Undoes: r.ID}, changes)
	return err
}

// jobs are what is done in the tests; y is set before they are.
func jobs(y **yard) []job {
	files := func(n int, dirs ...string) func(*yard) {
		return func(y *yard) {
			for i := range n {
				y.File(fmt.Sprintf("%s/%02d", dirs[i%len(dirs)], i), fmt.Sprintf("a host = depot-3 of %d and more\n", i), 0o640)
			}
		}
	}
	rewriteAll := func() (all change.List) {
		for _, path := range slices.Sorted(maps.Keys((*y).tree())) {
			if content, _, _ := (*y).Read(path); strings.Contains(content, "depot-3") {
				all = append(all, (*y).rewrite(path, "depot-3", "depot-4444"))
			}
		}
		return all
	}
	one := func(path, old, fresh string) func() change.List {
		return func() change.List { return change.List{(*y).rewrite(path, old, fresh)} }
	}
	linked := func(y *yard) {
		y.File("/tree/a", "first page of depot-3, second page, third page of depot-3\n", 0o644)
		y.Link("/tree/a", "/tree/b")
	}
	created := func() change.List {
		meta := disk.Meta{Mode: 0o640, UID: os.Geteuid(), GID: os.Getegid()}
		return change.List{
			{Path: "n", Dir: "/tree", Name: "n", Op: change.Create, Meta: meta, Edits: edit.List{{New: []byte("a new file of the depot\n")}}},
			{Path: "m", Dir: "/tree/new/directory", Name: "m", Op: change.Create, Meta: meta, Edits: edit.List{{New: []byte("another one, in a directory\n")}}},
		}
	}
	removed := func() change.List {
		content, _, _ := (*y).Read("/tree/00")
		return change.List{{
			Path: "00", Dir: "/tree", Name: "00", Op: change.Remove,
			Before: digest.Of([]byte(content)), Edits: edit.List{{End: len(content)}},
		}}
	}
	held := transaction.Intent{Hold: time.Hour}
	return append([]job{
		{name: "few files", build: files(3, "/tree"), do: apply(rewriteAll, transaction.Intent{})},
		{name: "many files on two file systems", build: files(maxFiles+2, "/tree", "/mnt/depot"), do: apply(rewriteAll, transaction.Intent{})},
		{name: "rewritten in place, longer", build: linked, do: apply(one("/tree/a", "depot-3", "depot-4, once depot-3"), transaction.Intent{})},
		{name: "rewritten in place, shorter", build: linked, do: apply(one("/tree/a", "first page of depot-3, second page", "x"), transaction.Intent{})},
		{name: "created", build: files(1, "/tree"), do: apply(created, transaction.Intent{})},
		{name: "removed", build: files(2, "/tree"), do: apply(removed, transaction.Intent{})},
		{name: "old contents beside", build: files(2, "/tree"), do: apply(rewriteAll, transaction.Intent{Beside: ".old"})},
		{name: "undo", build: files(2, "/tree"), first: apply(rewriteAll, transaction.Intent{}), do: undoLast},
		{name: "undo of many", build: files(maxFiles+2, "/tree", "/mnt/depot"), first: apply(rewriteAll, transaction.Intent{}), do: undoLast},
		{name: "undo in place", build: linked, first: apply(one("/tree/a", "depot-3", "depot-4, once depot-3"), transaction.Intent{}), do: undoLast},
		{name: "undo of what was created", build: files(1, "/tree"), first: apply(created, transaction.Intent{}), do: undoLast},
		{name: "undo of what was removed", build: files(2, "/tree"), first: apply(removed, transaction.Intent{}), do: undoLast},
		{name: "a proof fails", build: files(3, "/tree", "/mnt/depot"), do: apply(rewriteAll, transaction.Intent{
			Prove: func(context.Context) error { return errors.New("it does not hold") },
		})},
		{name: "a proof fails, in place", build: linked, do: apply(one("/tree/a", "first page of depot-3, second page", "x"), transaction.Intent{
			Prove: func(context.Context) error { return errors.New("it does not hold") },
		})},
		{name: "a proof fails, many files", build: files(maxFiles+2, "/tree", "/mnt/depot"), do: apply(rewriteAll, transaction.Intent{
			Prove: func(context.Context) error { return errors.New("it does not hold") },
		})},
		{name: "a proof fails, the last word is lost", build: files(3, "/tree", "/mnt/depot"), do: apply(rewriteAll, transaction.Intent{
			Prove: func(context.Context) error {
				(*y).fail = func(op, name string) error {
					if op == "sync" && name == "directory" {
						(*y).fail = nil
						return errors.New("the word may be on disk or not")
					}
					return nil
				}
				return nil
			},
		}), also: func(tree map[string]string) map[string]string {
			also := map[string]string{}
			for path, content := range tree {
				also[path] = strings.ReplaceAll(content, "depot-3", "depot-4444")
			}
			return also
		}},
		{
			name: "again after a proof failed", build: files(2, "/tree"),
			first: func(ctx context.Context, l *store.Locked) error {
				err := apply(rewriteAll, transaction.Intent{Prove: func(context.Context) error { return errors.New("no") }})(ctx, l)
				if err == nil || err.Error() != "no" {
					return fmt.Errorf("the proof should fail: %w", err)
				}
				return nil
			},
			do: apply(rewriteAll, transaction.Intent{}),
		},
		{
			name: "a hold is kept", build: files(2, "/tree"), first: apply(rewriteAll, held),
			do: func(_ context.Context, l *store.Locked) error {
				_, err := hold.Keep(l, "1")
				return err
			},
			done: func(s *store.Store) error {
				r, err := s.Run("1")
				if err == nil && r.State() != store.Kept {
					err = fmt.Errorf("run 1 was kept, and is %s", r.State())
				}
				return err
			},
		},
		{
			name: "a hold lapses", build: files(2, "/tree"), first: apply(rewriteAll, transaction.Intent{Hold: 1}),
			do: func(ctx context.Context, l *store.Locked) error {
				out, err := hold.Overdue(ctx, l, nil, never)
				for _, o := range out {
					err = errors.Join(err, o.Error)
				}
				return err
			},
		},
		{
			name: "redone after a hold lapsed", build: files(2, "/tree"), first: func(ctx context.Context, l *store.Locked) error {
				err := apply(rewriteAll, transaction.Intent{Hold: 1})(ctx, l)
				_, overdue := hold.Overdue(ctx, l, nil, never)
				return errors.Join(err, overdue)
			},
			do: redoLast,
		},
		{
			name: "forgotten", build: files(2, "/tree"), first: apply(rewriteAll, transaction.Intent{}),
			do: func(_ context.Context, l *store.Locked) error {
				r, err := l.Run("1")
				if err == nil {
					err = l.Forget(r)
				}
				return err
			},
		},
	}, append(namingJobs(y, false), namingJobs(y, true)...)...)
}

const maxFiles = 8 // up to which a run syncs each file by itself

// trial is one job on one disk.
type trial struct {
	job      job
	kind     Kind
	deaf     func(place string) bool
	y        *yard
	old, new map[string]string // trees, before and after
}

// start makes the disk anew, up to where the job begins.
func (tr *trial) start() error {
	d := NewDisk(tr.kind)
	d.Dir("/var", 1)
	d.Dir("/tree", 2)
	d.Dir("/mnt/depot", 3)
	tr.y.Disk = d
	tr.job.build(tr.y)
	d.Deaf = tr.deaf
	if tr.job.first != nil {
		if err := tr.y.locked(tr.job.first); err != nil {
			return err
		}
	}
	tr.old = tr.y.tree()
	return nil
}

// run does the job, up to operation at, before which the machine goes down; 0 for never. It
// returns how many operations there were, and whether the job came to its end.
func (tr *trial) run(at int) (operations int, ended bool, err error) {
	tr.y.Before = func(op, name string) error {
		if operations++; operations == at {
			panic(errDown)
		}
		if tr.y.fail != nil {
			return tr.y.fail(op, name)
		}
		return nil
	}
	defer func() {
		tr.y.Before, tr.y.fail = nil, nil
		if r := recover(); r != nil && r != any(errDown) {
			panic(r)
		}
	}()
	err = tr.y.locked(tr.job.do)
	return operations, true, err
}

// recover puts back what was cut off, up to an operation before which the machine goes down
// again.
func (tr *trial) recover(at int) (recovered []transaction.Recovered, ended bool) {
	operations := 0
	tr.y.Before = func(string, string) error {
		if operations++; operations == at {
			panic(errDown)
		}
		return nil
	}
	defer func() {
		tr.y.Before = nil
		if r := recover(); r != nil && r != any(errDown) {
			panic(r)
		}
	}()
	err := tr.y.locked(func(ctx context.Context, l *store.Locked) (err error) {
		if recovered, _, err = transaction.Recover(ctx, l, never); err == nil {
			_, err = hold.Overdue(ctx, l, nil, never)
		}
		return err
	})
	return recovered, err == nil
}

// verdict says what is wrong with the disk after recovery, "" where all is well: the tree
// is the old one or the new one, as what was reported says.
func (tr *trial) verdict(ended bool, reported error) string {
	recovered, ok := tr.recover(0)
	if !ok {
		return "recovery fails"
	}
	for _, s := range recovered {
		if s.Err != nil || len(s.Away)+len(s.Left) > 0 {
			return fmt.Sprintf("run %s is not recovered: %v, away %v, left %v", s.Run.ID, s.Err, s.Away, s.Left)
		}
	}
	if cut, damaged, err := tr.y.store().Unfinished(); err != nil || len(cut)+len(damaged) > 0 {
		return fmt.Sprintf("runs are cut off still: %v, damaged %v, %v", cut, damaged, err)
	}
	now := tr.y.tree()
	is := "torn"
	switch {
	case maps.Equal(now, tr.old) && maps.Equal(now, tr.new):
		is = "the same"
	case maps.Equal(now, tr.old):
		is = "old"
	case maps.Equal(now, tr.new):
		is = "new"
	case !ended && tr.job.also != nil && maps.Equal(now, tr.job.also(tr.old)):
		is = "also right"
	}
	switch {
	case is == "torn":
		return fmt.Sprintf("the files are a mixture: %q", now)
	case ended && reported == nil && is == "old", ended && reported != nil && is == "new":
		return fmt.Sprintf("the files are %s, and what was reported is %v", is, reported)
	}
	if ended && reported == nil && tr.job.done != nil {
		if err := tr.job.done(tr.y.store()); err != nil {
			return err.Error()
		}
	}
	return ""
}

// crashes lets the machine go down before those operations of a job that some selects, the last being its end, and
// some recoveries too, and returns what was wrong first, and how many crashes there were.
func crashes(t *testing.T, j func(*yard) job, y *yard, kind Kind, deaf func(string) bool, rounds int, some func(at int) bool, syncs map[string]bool) (wrong string, count int) {
	tr := &trial{job: j(y), kind: kind, y: y}
	require.NoError(t, tr.start())
	total, _, reported := tr.run(0)
	tr.new = y.tree()
	if strings.HasPrefix(tr.job.name, "a proof fails") {
		require.Error(t, reported)
		require.Equal(t, tr.old, tr.new, tr.job.name)
	} else {
		require.NoError(t, reported, tr.job.name)
	}
	maps.Copy(syncs, y.Syncs)
	tr.deaf = deaf
	for at := 1; at <= total+1; at++ {
		if !some(at) {
			continue
		}
		for round := range rounds {
			r := rand.New(rand.NewPCG(uint64(at), uint64(round)))
			require.NoError(t, tr.start())
			new := tr.new
			_, ended, err := tr.run(at)
			tr.new = new
			found := tr.y.Crash(r)
			found.Deaf = deaf
			tr.y.Disk = found
			for range r.IntN(3) { // recovery is cut off as well
				if _, ended := tr.recover(1 + r.IntN(60)); !ended {
					again := tr.y.Crash(r)
					again.Deaf = deaf
					tr.y.Disk = again
				}
			}
			count++
			if wrong := tr.verdict(ended, err); wrong != "" {
				return fmt.Sprintf("%s on a %s disk, down before operation %d of %d, round %d: %s", tr.job.name, kind, at, total, round, wrong), count
			}
		}
	}
	return "", count
}

func allJobs() []func(*yard) job {
	var all []func(*yard) job
	var none *yard
	for i := range jobs(&none) {
		all = append(all, func(y *yard) job { return jobs(&y)[i] })
	}
	return all
}

// all selects every operation.
func all(int) bool { return true }

// soaking reports whether more is tried than a run of all tests has the time for.
func soaking() bool { return os.Getenv("FRIZZEL_ROUNDS") != "" }

// rounds is how often each crash is tried, with other luck.
func rounds(fallback int) int {
	if n, err := strconv.Atoi(os.Getenv("FRIZZEL_ROUNDS")); err == nil {
		return n
	}
	return fallback
}

// Whatever a disk forgets that was not synced, before whatever operation the machine goes
// down, once or again while it is put right: all files are old or all are new, and what was
// reported as done is.
func TestMachineGoesDown(t *testing.T) {
	goDown := func(t *testing.T, limits *store.Limits) {
		for _, j := range allJobs() {
			t.Run(j(&yard{}).name, func(t *testing.T) {
				t.Parallel()
				for i, kind := range Kinds() {
					some := func(at int) bool { return soaking() || at%len(Kinds()) == i } // each on one kind of disk
					wrong, count := crashes(t, j, &yard{limits: limits}, kind, nil, rounds(1), some, map[string]bool{})
					require.Empty(t, wrong)
					t.Logf("%d crashes on a %s disk", count, kind)
				}
			})
		}
	}
	t.Run("contents that are held", func(t *testing.T) { goDown(t, nil) })
	t.Run("contents of any size", func(t *testing.T) { goDown(t, streamed) })
}

// succeeding are the jobs that single operations fail in.
var succeeding = []string{
	"few files", "many files on two file systems", "rewritten in place, longer", "rewritten in place, shorter", "created", "removed",
	"old contents beside", "undo", "undo of many", "names", "undo of names", "names, by second names", "undo of names, by second names",
}

// Whatever single operation fails: the run says so and all files are old, or it did without and
// all are new, and what is kept of it is what was put there.
func TestAnyOperationFails(t *testing.T) {
	for _, limits := range []*store.Limits{nil, streamed} {
		for _, j := range allJobs() {
			y := &yard{limits: limits}
			if name := j(y).name; !slices.Contains(succeeding, name) {
				continue
			}
			tr := &trial{job: j(y), kind: Posix, y: y}
			require.NoError(t, tr.start())
			total, _, err := tr.run(0)
			require.NoError(t, err)
			tr.new = y.tree()
			for at := 1; at <= total; at++ {
				require.NoError(t, tr.start())
				n := 0
				y.fail = func(op, name string) error {
					if n++; n == at {
						return fmt.Errorf("%s of %s fails", op, name)
					}
					return nil
				}
				_, ended, err := tr.run(0)
				require.Empty(t, tr.verdict(ended, err), "%s, operation %d: %v", tr.job.name, at, err)
				if err == nil {
					damaged, _, err := history.Verify(y.store())
					require.NoError(t, err)
					require.Empty(t, damaged, "%s, operation %d", tr.job.name, at)
				}
			}
		}
	}
}

// A file that is not what the change is against, by its digest or by its print, and one that does
// not become what it must, are not written, held or not; nor is the former shown to its end.
func TestNotAsSaid(t *testing.T) {
	for _, limits := range []*store.Limits{nil, streamed} {
		for name, spoil := range map[string]func(*change.Change){
			"digest": func(c *change.Change) { c.Before.Sum[0]++ },
			"print":  func(c *change.Change) { c.Before, c.Print = digest.Digest{}, change.Print{Size: 5, Sum: 5} },
			"result": func(c *change.Change) { c.After = digest.Of([]byte("host = depot-30\n")) },
		} {
			y := &yard{Disk: NewDisk(Posix), limits: limits}
			y.Dir("/var", 1)
			y.Dir("/tree", 2)
			y.File("/tree/a", "host = depot-3\n", 0o644)
			c := y.rewrite("/tree/a", "depot-3", "depot-4")
			spoil(&c)
			before := y.tree()
			err := y.locked(apply(func() change.List { return change.List{c} }, transaction.Intent{}))
			var changed *change.ChangedError
			var damaged *transaction.DamagedError
			require.True(t, errors.As(err, &changed) || name == "result" && errors.As(err, &damaged), "%s: %v", name, err)
			require.Equal(t, before, y.tree(), name)
			shown := c.Windows(y.Disk)(func(diff.Window) error { return nil })
			require.Equal(t, name != "result", errors.As(shown, &changed), "%s: %v", name, shown)
		}
	}
}

// No barrier is decoration: without any one of them, some crash is not survived.
func TestEveryBarrierIsNeeded(t *testing.T) {
	jobsOf := map[string][]func(*yard) job{} // by place
	for _, j := range allJobs() {
		places := map[string]bool{}
		_, _ = crashes(t, j, &yard{}, Posix, nil, 0, all, places)
		for place := range places {
			jobsOf[place] = append(jobsOf[place], j)
		}
	}
	require.Greater(t, len(jobsOf), 20)
	for _, place := range slices.Sorted(maps.Keys(jobsOf)) {
		t.Run(place, func(t *testing.T) {
			t.Parallel()
			deaf := func(p string) bool { return p == place }
			for _, kind := range []Kind{Posix, OwnName, Journal} {
				for _, j := range jobsOf[place] {
					if wrong, _ := crashes(t, j, &yard{}, kind, deaf, max(rounds(6), 6), all, map[string]bool{}); wrong != "" {
						t.Log(wrong)
						return
					}
				}
			}
			require.Fail(t, "nothing is lost without this sync")
		})
	}
}

// never is for recoveries without force.
func never(string) bool { return false }
