package seal

import (
	"errors"
	"io"
	"io/fs"
	"path/filepath"

	"frizzel/internal/change"
	"frizzel/internal/digest"
	"frizzel/internal/disk"
)

// HasContent reports whether the content of the file changes, and not only a name or the text of a link.
func (f *File) HasContent() bool { return f.Op.IsContent(f.Kind) }

// Change returns the change that was reviewed.
func (f *File) Change() change.Change {
	path := string(f.Path)
	c := change.Change{
		Path: path, Dir: filepath.Dir(path), Name: filepath.Base(path), Op: f.Op, Kind: f.Kind,
		NewName: f.NewName, Target: f.Target, NewTarget: f.NewTarget, Before: f.Before, After: f.After,
	}
	if f.HasContent() {
		c.Edits = f.Edits()
	}
	return c
}

// Moves returns the directories that the review renames.
func (s *Seal) Moves() change.Moves {
	moves := change.Moves{}
	for i := range s.Files {
		if f := &s.Files[i]; f.Kind == disk.Directory && f.NewName != "" {
			moves[string(f.Path)] = f.NewName
		}
	}
	return moves
}

// To returns the path that a file of the review has afterwards.
func (s *Seal) To(f *File) string {
	return s.Moves().Shown(string(f.Path), string(f.Path), f.NewName)
}

// AddName adds a file, a directory or a link of which only the name, or a link's text, changes.
func (w *Writer) AddName(c change.Change, changes int, diff func(io.Writer) error) error {
	path, err := sealedPath(c.Path)
	if err != nil {
		return err
	}
	err = w.lines.Encode(line{
		Path: path, Changes: changes, Op: c.Op, Kind: c.Kind, NewName: change.Path(c.NewName),
		Target: change.Path(c.Target), NewTarget: change.Path(c.NewTarget),
	})
	if err != nil {
		return err
	}
	shown := &chunks{lines: w.lines, text: true, as: func(p []byte) line { return line{Diff: string(p)} }}
	if err := errors.Join(diff(shown), shown.Close()); err != nil {
		return err
	}
	return w.lines.Encode(line{End: true, Before: c.Before})
}

// sealedPath returns the whole path of a file. Links in it are resolved, but not the last part, which may be one.
func sealedPath(path string) (change.Path, error) {
	abs, err := filepath.Abs(path)
	if err != nil {
		return "", err
	}
	above, err := filepath.EvalSymlinks(filepath.Dir(abs))
	return change.Path(filepath.Join(above, filepath.Base(abs))), err
}

// named compares a file that gets another name, or a link, with the one of this host.
func (st *Standing) named(system disk.System, f *File, moves change.Moves) error {
	c := f.Change()
	done, err := f.stands(system, moves.Of(filepath.Dir(c.Path)), c.Name, true)
	if err != nil {
		return err
	}
	same, err := f.stands(system, filepath.Dir(c.Path), c.Name, false)
	switch {
	case err != nil:
		return err
	case same:
		if c.In, err = idOf(system, c.Dir); err != nil {
			return err
		}
		if c.HasContent() {
			if _, c.Print, err = c.Now(system); err != nil {
				return err
			}
		}
		st.Changes, st.Counts = append(st.Changes, c), append(st.Counts, f.Changes)
	case done:
		st.Done = append(st.Done, c.Path)
	default:
		st.Differ = append(st.Differ, c.Path)
	}
	return nil
}

// stands reports whether a file is what it was when it was reviewed, or, if after is true, the result.
func (f *File) stands(system disk.System, path, name string, after bool) (bool, error) {
	target, sum := f.Target, f.Before
	if after {
		target, sum = f.NewTarget, f.After
		if f.NewName != "" {
			name = f.NewName
		}
	}
	dir, err := system.OpenDir(path)
	if errors.Is(err, fs.ErrNotExist) || errors.Is(err, disk.ErrNotDir) {
		return false, nil
	}
	if err != nil {
		return false, err
	}
	defer disk.Close(dir)
	info, err := dir.Stat(name)
	switch {
	case disk.Missing(err):
		return false, nil
	case err != nil:
		return false, err
	case info.Kind != f.Kind:
		return false, nil
	case f.Kind == disk.Link:
		is, err := dir.ReadLink(name)
		return is == target, err
	case sum == digest.Digest{}:
		return true, nil
	}
	opened, err := dir.Open(name)
	if err != nil {
		return false, err
	}
	defer disk.Close(opened)
	is, _, err := change.ReadFile(opened, sum.By)
	return is == sum, err
}
