package usecase

import (
	"context"
	"os"
	"path/filepath"

	"frizzel/core/explain"
	"frizzel/core/program"
	"frizzel/core/revision"
	"frizzel/core/script"
	"frizzel/internal/disk"
	"frizzel/internal/rules"
	"frizzel/internal/run"
)

// Explained is what there is to say of rules: the scripts, and those that they use, in the order in which they run.
type Explained struct {
	explain.Script
	Compiled *rules.Compiled
}

// Explain reads rules to explain them.
func Explain(r rules.Given) (*Explained, error) {
	read, err := r.Parse()
	if err != nil {
		return nil, err
	}
	compiled, err := read.Compile(nil)
	if err != nil {
		return nil, err
	}
	e := &Explained{Compiled: compiled}
	e.Options = read.Options
	e.Options.Load = read.Load
	e.Options.Lenient = true
	seen := map[string]bool{}
	for _, s := range read.Scripts {
		e.add(read, s, seen)
	}
	// A statement is compiled with the parameters of its own script: values of others are none of its mistakes.
	e.Options.Values, e.Options.Shared = nil, merged(read.Options.Shared, read.Options.Values)
	return e, nil
}

func merged(maps ...map[string]string) map[string]string {
	all := map[string]string{}
	for _, m := range maps {
		for k, v := range m {
			all[k] = v
		}
	}
	return all
}

// add adds a script behind those that it uses.
func (e *Explained) add(read *rules.Parsed, s *script.Script, seen map[string]bool) {
	if seen[s.Source.Name] {
		return
	}
	seen[s.Source.Name] = true
	for _, n := range s.Items {
		use, ok := n.(*script.UseScript)
		if !ok {
			continue
		}
		name, _ := use.Path.Plain()
		name = script.Beside(s.Source.Name, name)
		if text, err := read.Load(name); err == nil {
			used, _ := script.Parse(name, string(text))
			e.add(read, used, seen)
		}
	}
	e.Scripts = append(e.Scripts, s)
}

// Files explains what the rules do to the files of a plan, in path order. line is the line that is asked about, 0 for all.
func (e *Explained) Files(ctx context.Context, plan *run.Plan, line int, take func(path string, a *explain.Account) error) (*run.Summary, error) {
	return plan.Texts(ctx, func(t run.Text) error {
		of := explain.Text{File: program.File{Path: t.At.Path, Rel: t.At.Rel}, Line: line, Unread: t.File == nil, Called: called(t)}
		if t.File != nil {
			of.Content, of.Document = t.File.Text, revision.Document(t.File)
		}
		return take(t.At.Path, e.Of(of))
	})
}

// called returns what a file is called, and where a link leads.
func called(t run.Text) map[script.Subject]string {
	name, all := filepath.Base(t.At.Name), map[script.Subject]string{}
	switch {
	case t.At.Linked: // its name is that of the link
		return nil
	case t.Kind == disk.Directory:
		all[script.DirectoryName] = name
		return all
	case t.Kind == disk.Link:
		if target, err := os.Readlink(t.At.Absolute()); err == nil {
			all[script.LinkTarget] = target
		}
	}
	all[script.FileName] = name
	return all
}
