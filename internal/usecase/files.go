package usecase

import (
	"path/filepath"
	"slices"

	"frizzel/core/program"
	"frizzel/core/textfile"
	"frizzel/internal/disk"
	"frizzel/internal/exit"
	"frizzel/internal/progress"
	"frizzel/internal/rules"
	"frizzel/internal/run"
	"frizzel/internal/selection"
	"frizzel/internal/vault/store"
)

// Files say which files are to be read.
type Files struct {
	Paths         []string // files and directories; without any and without Listed, the current directory
	Listed        []string // paths from a list, which are found and not named: links in them are not followed
	Only, Not     []string // globs
	Depth         int      // directory levels to read; 0 for all
	NoHidden      bool
	NoDocuments   bool
	Follow        bool
	OneFileSystem bool
	MaxSize       int64 // bytes; 0 for any
	Encoding      string
	Store         *store.Store // its directory is omitted
	Given         []string     // paths of files that the run was given, which are never among the files
}

// NewPlan checks what files are meant and joins them with the rules. The error is a
// wrong command line or a *selection.MissingError.
func NewPlan(f Files, c *rules.Compiled) (*run.Plan, error) {
	for _, globs := range [][]string{f.Only, f.Not} {
		for _, g := range globs {
			if !program.ValidGlob(g) {
				return nil, exit.Wrongf("%q is not a valid glob", g)
			}
		}
	}
	if f.Encoding != "" {
		if _, err := textfile.EncodingNamed(f.Encoding); err != nil {
			return nil, exit.Wrongf("%w", err)
		}
	}
	if f.Depth < 0 {
		return nil, exit.Wrongf("--depth is at least 1")
	}
	p := &run.Plan{Program: c.Program, Progress: &progress.Meter{}, Encoding: f.Encoding, MaxSize: f.MaxSize, NoDocuments: f.NoDocuments, Selection: selection.Selection{
		Paths: f.Paths, Listed: f.Listed, In: f.Only, Out: f.Not, Depth: f.Depth, NoHidden: f.NoHidden, Follow: f.Follow, OneFileSystem: f.OneFileSystem,
	}}
	p.Selection.Rules, p.Selection.Names = map[string]bool{}, c.Program.Named()
	for _, path := range slices.Concat(c.Files, f.Given) {
		abs, err := filepath.Abs(path)
		if err == nil {
			abs, err = filepath.EvalSymlinks(abs)
		}
		if err == nil { // else it is not among the files
			p.Selection.Rules[abs] = true
		}
	}
	if f.Store != nil {
		if dir, err := f.Store.System.OpenDir(f.Store.Path()); err == nil {
			p.Selection.State = dir.ID()
			disk.Close(dir)
		}
	}
	return p, p.Selection.Check()
}
