package usecase

import (
	"context"
	"fmt"

	"frizzel/internal/run"
)

// PreviewOptions are the options of Preview.
type PreviewOptions struct {
	Plan *run.Plan
	Show func(*run.Result) error // each file that would change, in path order
}

// Previewed is the result of Preview.
type Previewed struct {
	Summary *run.Summary
	Refuses []string // why an apply would write nothing, a line each
}

// Preview runs rules and shows their changes. It writes nothing.
func Preview(ctx context.Context, o PreviewOptions) (*Previewed, error) {
	p := &Previewed{}
	var err error
	p.Summary, err = o.Plan.Do(ctx, func(r *run.Result) (bool, error) {
		if r.Refuse != nil {
			p.Refuses = append(p.Refuses, refusal(r.At.Path, r.Refuse))
			return false, nil
		}
		return true, o.Show(r)
	})
	if err != nil {
		return p, err
	}
	p.Refuses = append(p.Refuses, namesRefused(o.Plan)...)
	p.Refuses = append(p.Refuses, p.Summary.Tally.Unmet()...)
	return p, nil
}

// namesRefused returns why new names cannot be given, a line each.
func namesRefused(plan *run.Plan) (lines []string) {
	if plan.Names == nil {
		return nil
	}
	for _, p := range plan.Names.Problems() {
		lines = append(lines, fmt.Sprintf("%s: %s", p.Item.At.Path, p.Text))
	}
	return lines
}

// refusal says why a file cannot be written.
func refusal(path string, err error) string { return fmt.Sprintf("%s: %v", path, err) }
