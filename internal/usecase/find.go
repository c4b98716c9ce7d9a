package usecase

import (
	"context"
	"time"

	"frizzel/core/compile"
	"frizzel/core/program"
	"frizzel/internal/run"
)

// FindOptions say what is looked for, and where.
type FindOptions struct {
	Rules  *Compiled
	Plan   *run.Plan
	Sought run.Sought
	Show   func(*run.Found) error // each file that was read, in path order
}

// Find looks for what rules are about.
func Find(ctx context.Context, o FindOptions) (*run.Summary, error) {
	return o.Plan.Find(ctx, o.Sought, o.Show)
}

// Template compiles a text whose placeholders are filled in for each match; name is what
// messages call it.
func (c *Compiled) Template(name, text string) (*program.Template, error) {
	t, problems := compile.Template(c.Program, name, text, compile.Options{Now: time.Now()})
	if len(problems) > 0 {
		return nil, problems
	}
	return t, nil
}
