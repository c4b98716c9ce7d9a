package transaction

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"maps"
	"path/filepath"
	"runtime"
	"slices"
	"syscall"

	"golang.org/x/sync/errgroup"

	"frizzel/internal/change"
	"frizzel/internal/disk"
	"frizzel/internal/exit"
	"frizzel/internal/vault/store"
)

// directories are the directories that hold a run's files, each open, known by its identity, and
// locked, so that two runs never write in one at the same time, whoever they belong to.
type dirs struct {
	open map[string]*dir // by path
	made []string        // directories that were made, the outermost first
	as   identity        // how the directories agree with the record
}

// directory is one of them.
type dir struct {
	disk.Dir
	away error // why it cannot be had
}

// MovedError is the error of a directory that is not the one that was meant.
type MovedError struct{ Path string }

// ExitStatus returns Refused.
func (*MovedError) ExitStatus() exit.Status { return exit.Refused }

func (e *MovedError) Error() string {
	return fmt.Sprintf("%s is not the directory that it was", e.Path)
}

// BusyError is the error of a directory that another run writes in, perhaps of another user.
type BusyError struct{ Path string }

// ExitStatus returns Refused.
func (*BusyError) ExitStatus() exit.Status { return exit.Refused }

func (e *BusyError) Error() string {
	return fmt.Sprintf("another run is writing in %s just now; try again when it has ended", e.Path)
}

func (e *BusyError) Unwrap() error { return store.ErrBusy }

func dirOf(e *store.Entry) string { return filepath.Dir(e.Absolute()) }

// wanted are the directories that files are in, by their paths.
type wanted map[string]*store.Entry // the first file of each

// openAll opens the directories of the files to write. All must exist.
func openAll(ctx context.Context, l *store.Locked, files wanted) (*dirs, error) {
	f := openDirs(l, files, forWriting)
	for _, path := range f.paths() {
		if err := f.open[path].away; err != nil {
			f.close()
			if errors.Is(err, syscall.EMFILE) {
				err = exit.With(exit.Unreadable, fmt.Errorf("the run writes in %d directories, and keeps each open, but this process may only have fewer files open; raise the limit to %d (ulimit -n), or write fewer directories at once", len(files), len(files)+64))
			}
			return nil, err
		}
	}
	if err := f.lock(ctx, l); err != nil {
		f.close()
		return nil, err
	}
	return f, nil
}

// An identity says how directories must agree with the record.
type identity int

const (
	forWriting identity = iota // the same; missing ones of new files are made
	sameBoot                   // the same
	otherBoot                  // the same inode; devices may have other numbers
	byPath                     // any: what the files hold decides
)

// identityOf returns how the directories of a run that was cut off must agree with its record.
func identityOf(r *store.Record) identity {
	if r.Boot == disk.Boot() {
		return sameBoot
	}
	return otherBoot
}

// openDirs opens the directories of files as far as possible.
func openDirs(l *store.Locked, files wanted, as identity) *dirs {
	f := &dirs{open: map[string]*dir{}, as: as}
	for _, path := range slices.Sorted(maps.Keys(files)) {
		e := files[path]
		opened, err := l.System.OpenDir(path)
		if disk.Missing(err) && e.Op == change.Create && as == forWriting {
			var made []string
			opened, made, err = disk.MakePath(l.System, path, 0o777)
			f.made = append(f.made, made...)
		}
		if err == nil && as != byPath && !isDir(opened.ID(), e.In, as != otherBoot) {
			disk.Close(opened)
			err = &MovedError{path}
		}
		f.open[path] = &dir{opened, err}
	}
	return f
}

// isDir reports whether a directory is the one that was meant, if that is known.
func isDir(now, wanted disk.ID, devices bool) bool {
	return wanted == disk.ID{} || now.Inode == wanted.Inode && (now.Device == wanted.Device || !devices)
}

// paths lists the directories in order.
func (f *dirs) paths() []string {
	var all []string
	for path := range f.open {
		all = append(all, path)
	}
	slices.Sort(all)
	return all
}

// of returns the directory that holds an entry's file, and the file's name in it.
func (f *dirs) of(e *store.Entry) (*dir, string) {
	return f.open[dirOf(e)], filepath.Base(string(e.Name))
}

// lock locks all directories, in an order that all runs keep to.
func (f *dirs) lock(ctx context.Context, l *store.Locked) error {
	paths := slices.DeleteFunc(f.paths(), func(p string) bool { return f.open[p].away != nil })
	slices.SortFunc(paths, func(a, b string) int {
		x, y := f.open[a].ID(), f.open[b].ID()
		return cmp.Or(cmp.Compare(x.Device, y.Device), cmp.Compare(x.Inode, y.Inode))
	})
	last := l.ID() // locked already
	for _, path := range paths {
		opened := f.open[path]
		if opened.ID() == last || opened.ID() == l.ID() {
			continue
		}
		if err := store.Wait(ctx, opened.TryLock, &BusyError{path}); err != nil {
			return err
		}
		last = opened.ID()
	}
	return nil
}

func (f *dirs) close() {
	for _, opened := range f.open {
		if opened.away == nil {
			disk.Close(opened)
		}
	}
}

// sync waits until the names in all directories have reached the disk; if files are not
// synced by themselves, until all of their file systems have.
func (f *dirs) sync(files disk.Durability) error {
	if files == disk.Unsynced {
		return f.syncSystems()
	}
	for _, path := range f.paths() {
		if opened := f.open[path]; opened.away == nil {
			if err := opened.Sync(); err != nil {
				return err
			}
		}
	}
	return nil
}

// unmake removes the directories of a list, the outermost first, that are empty, and returns those that it removed. A link
// in the place of one stays.
func unmake(system disk.System, made []change.Path) (removed []change.Path) {
	for _, path := range slices.Backward(made) {
		above, err := system.OpenDir(filepath.Dir(string(path)))
		if err != nil {
			continue
		}
		if above.RemoveDir(filepath.Base(string(path))) == nil && above.Sync() == nil {
			removed = append(removed, path)
		}
		disk.Close(above)
	}
	slices.Reverse(removed)
	return removed
}

// Unmake removes the directories that a run made, after an undo removed its files, and records that.
func Unmake(l *store.Locked, undo, of *store.Record) error {
	if undo.Unmade = unmake(l.System, of.Made); len(undo.Unmade) == 0 {
		return nil
	}
	return l.Save(undo)
}

// syncSystems waits until the file systems of all directories have reached the disk.
func (f *dirs) syncSystems() error {
	done := map[uint64]bool{}
	for _, path := range f.paths() {
		opened := f.open[path]
		if opened.away != nil || done[opened.ID().Device] {
			continue
		}
		done[opened.ID().Device] = true
		if err := opened.SyncSystem(); err != nil {
			return err
		}
	}
	return nil
}

const (
	// maxFiles is the maximum number of files that are synced individually. For more files, their whole file
	// systems are synced once.
	maxFiles = 8
	// manyFiles is the number of files from which several workers process them.
	manyFiles = 256
)

// durabilityOf returns how a number of files is written: each synced by itself, or, if there are
// many, together with their file system.
func durabilityOf(files int) disk.Durability {
	if disk.SyncsAtOnce && files > maxFiles {
		return disk.Unsynced
	}
	return disk.Synced
}

// each calls do for n files, from several workers if there are many files. It ends at the first error, or with the
// context.
func each(ctx context.Context, n int, do func(i int) error) error {
	workers := 1
	if n >= manyFiles {
		workers = runtime.GOMAXPROCS(0)
	}
	part := func(ctx context.Context, from, to int) error {
		for i := from; i < to; i++ {
			if err := ctx.Err(); err != nil {
				return err
			}
			if err := do(i); err != nil {
				return err
			}
		}
		return nil
	}
	if workers == 1 {
		return part(ctx, 0, n)
	}
	group, ctx := errgroup.WithContext(ctx)
	for k := range workers {
		group.Go(func() (err error) {
			defer exit.Caught(&err)
			return part(ctx, k*n/workers, (k+1)*n/workers)
		})
	}
	return group.Wait()
}
