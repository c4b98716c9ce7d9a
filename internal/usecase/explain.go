package usecase

import (
	"context"

	"frizzel/core/explain"
	"frizzel/core/program"
	"frizzel/core/revision"
	"frizzel/core/script"
	"frizzel/core/textfile"
	"frizzel/internal/run"
	"frizzel/internal/selection"
)

// Explained is what there is to say of rules: the scripts, and those that they use, in the order in which they run.
type Explained struct {
	explain.Script
	Compiled *Compiled
}

// Explain reads rules to explain them.
func Explain(r Rules) (*Explained, error) {
	read, err := r.read()
	if err != nil {
		return nil, err
	}
	compiled, err := read.compile(nil)
	if err != nil {
		return nil, err
	}
	e := &Explained{Compiled: compiled}
	e.Options = read.options
	e.Options.Load = read.load
	e.Options.Lenient = true
	seen := map[string]bool{}
	for _, s := range read.scripts {
		e.add(read, s, seen)
	}
	// A statement is compiled with the parameters of its own script: values of others are none of its mistakes.
	e.Options.Values, e.Options.Shared = nil, merged(read.options.Shared, read.options.Values)
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
func (e *Explained) add(read *readRules, s *script.Script, seen map[string]bool) {
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
		if text, err := read.load(name); err == nil {
			used, _ := script.Parse(name, string(text))
			e.add(read, used, seen)
		}
	}
	e.Scripts = append(e.Scripts, s)
}

// Files explains what the rules do to the files of a plan, in path order. line is the line that is asked about, 0 for all.
func (e *Explained) Files(ctx context.Context, plan *run.Plan, line int, take func(path string, a *explain.Account) error) (*run.Summary, error) {
	return plan.Texts(ctx, func(at selection.File, text *textfile.File) error {
		file := program.File{Path: at.Path, Rel: at.Rel}
		return take(at.Path, e.Of(file, text.Text, revision.Document(text), line))
	})
}
