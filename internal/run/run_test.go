package run

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync/atomic"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/require"

	"frizzel/core/compile"
	"frizzel/core/edit"
	"frizzel/core/program"
	"frizzel/core/script"
	"frizzel/internal/exit"
	"frizzel/internal/selection"
)

func planFor(t *testing.T, rules, dir string) *Plan {
	s, problems := script.Parse("test.friz", rules)
	require.Empty(t, problems)
	p, problems := compile.Scripts([]*script.Script{s}, compile.Options{})
	require.NotNil(t, p, problems.Error())
	return &Plan{Program: p, Selection: selection.Selection{Paths: []string{dir}}}
}

// Results come in path order, whatever worker was first, each with the edits of its own
// file; what is declined counts as it is; a binary file is not read to its end.
func TestDo(t *testing.T) {
	dir := t.TempDir()
	for i := range 300 {
		text := strings.Repeat("a line of the log\n", i*37%900) + fmt.Sprintf("host = depot-%d\n", i%4)
		require.NoError(t, os.WriteFile(filepath.Join(dir, fmt.Sprintf("%03d", i)), []byte(text), 0o644))
	}
	sparse := filepath.Join(dir, "sparse")
	require.NoError(t, os.WriteFile(sparse, nil, 0o644))
	require.NoError(t, os.Truncate(sparse, 1<<40)) // which no memory holds
	plan := planFor(t, "rule host { replace word \"depot-3\" with \"depot-4\" }\nforbid text \"depot-9\"", dir)
	var paths []string
	s, err := plan.Do(t.Context(), func(r *Result) (bool, error) {
		paths = append(paths, r.At.Path)
		file, edits, ok := r.Held()
		require.True(t, ok)
		require.Contains(t, string(edits.Apply(file.Text)), "host = depot-4\n")
		return len(paths)%2 == 0, nil
	})
	require.NoError(t, err)
	require.IsIncreasing(t, paths)
	require.Len(t, paths, 75)
	require.Equal(t, 300, s.Read)
	require.Equal(t, 37, s.Changed)
	require.Equal(t, 37, s.Tally.Changes[0])
	require.Equal(t, map[selection.Reason]int{selection.Binary: 1}, s.Reasons())
}

// Pending changes follow the file as it is: what a person answers is asked of what it
// holds now.
func TestPending(t *testing.T) {
	dir := t.TempDir()
	path := filepath.Join(dir, "clock.ini")
	require.NoError(t, os.WriteFile(path, []byte("depot-3 depot-3\n"), 0o644))
	plan := planFor(t, `replace word "depot-3" with "depot-4"`, dir)
	all, s, err := plan.Collect(t.Context())
	require.NoError(t, err)
	require.Len(t, all, 1)
	p := all[0]
	require.Equal(t, 2, p.Changes)
	first := true
	require.NoError(t, p.Decide(t.Context(), func(program.Proposal) program.Answer {
		defer func() { first = false }()
		return program.Answer{Leave: first}
	}))
	proposed, err := p.Proposed(t.Context())
	require.NoError(t, err)
	require.Equal(t, "depot-3 depot-4\n", string(proposed))
	s.Recount(all)
	require.Equal(t, []int{1, 1}, []int{s.Changed, s.Changes})
	require.NoError(t, p.Decide(t.Context(), func(program.Proposal) program.Answer { return program.Answer{Leave: true} }))
	s.Recount(all)
	require.Equal(t, []int{0, 0}, []int{s.Changed, s.Changes}, "a file all of whose changes are declined does not change")
	require.NoError(t, os.WriteFile(path, []byte("depot-3 only\n"), 0o644))
	r, err := p.Result(t.Context())
	require.NoError(t, err)
	require.True(t, p.Moved)
	file, edits, _ := r.Held()
	require.Equal(t, "depot-4 only\n", string(edits.Apply(file.Text)))
	_, _, err = p.Rewrite(t.Context(), []byte("by hand\n"))
	require.NoError(t, err)
	edits, err = edit.Gather(p.Change.Edits)
	require.NoError(t, err)
	require.Equal(t, "by hand\n", string(edits.Apply([]byte("depot-3 only\n"))))
}

// No more bytes are in flight than there may be, but for those of the file that is to be
// passed on next, which never waits; and as many files as fit are in flight at once.
func TestFlight(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		f := newFlight(100)
		sizes := []int64{60, 60, 300, 10, 50, 50, 99, 1, 500, 40}
		jobs := make([]*job, len(sizes))
		taken := make([]atomic.Bool, len(sizes))
		for i := range jobs {
			jobs[i] = &job{number: i}
		}
		together := 0
		check := func(front int) {
			sum, count := int64(0), 0
			for i := range taken {
				if taken[i].Load() && i != front && i > front {
					sum += sizes[i]
					count++
				}
			}
			together = max(together, count)
			if count > 1 {
				require.LessOrEqual(t, sum, int64(100))
			}
		}
		for i := len(jobs) - 1; i >= 0; i-- { // the last ones come first
			go func() {
				f.take(jobs[i], sizes[i])
				taken[i].Store(true)
			}()
			synctest.Wait()
			check(0)
		}
		for i, j := range jobs {
			f.next(i)
			synctest.Wait()
			require.True(t, taken[i].Load(), "the front waits")
			check(i)
			taken[i].Store(false)
			f.land(j)
			synctest.Wait()
		}
		require.Zero(t, f.held)
		require.Greater(t, together, 1)
	})
}

// A file that is larger than is held at once is said to be, and read no further.
func TestTooLarge(t *testing.T) {
	dir := t.TempDir()
	path := filepath.Join(dir, "log")
	require.NoError(t, os.WriteFile(path, bytes.Repeat([]byte("a line of the log\n"), 10_000), 0o644))
	require.NoError(t, os.Truncate(path, 1<<40))
	s, err := planFor(t, `replace text "a" with "b"`, dir).Do(t.Context(), func(*Result) (bool, error) { return true, nil })
	require.NoError(t, err)
	require.Len(t, s.Unreadable(), 1)
	require.ErrorContains(t, s.Unreadable()[0].Err, "one line is longer than")
}

// A panic of a worker ends the run with an internal error that has the stack, for small files and for windows.
func TestPanicOfAWorker(t *testing.T) {
	for _, size := range []int{10, 100_000} {
		dir := t.TempDir()
		require.NoError(t, os.WriteFile(filepath.Join(dir, "board.conf"), bytes.Repeat([]byte("track = 3\n"), size), 0o644))
		plan := planFor(t, `replace text "3" with "4"`, dir)
		plan.window = 1 << 10
		plan.Program.Rules[0].Body[0].(program.Statement).Action.(*program.Replace).Pattern = nil
		_, err := plan.Do(t.Context(), func(*Result) (bool, error) { return true, nil })
		require.Equal(t, exit.Internal, exit.Of(err))
		require.ErrorContains(t, err, "nil pointer")
		require.ErrorContains(t, err, "replace.go")
	}
}

// A worker waits while too many results are kept for a file before theirs, until one is passed on, or the run ends.
func TestResultsWait(t *testing.T) {
	f := newFlight(1)
	jobs := make([]job, maxResults+1)
	for i := range jobs {
		f.keep(&jobs[i])
	}
	waited := make(chan struct{})
	wait := func() { f.wait(); waited <- struct{}{} }
	go wait()
	select {
	case <-waited:
		require.Fail(t, "it does not wait")
	case <-time.After(20 * time.Millisecond):
	}
	f.land(&jobs[0])
	<-waited
	f.keep(&jobs[0])
	go wait()
	f.end()
	<-waited
}
