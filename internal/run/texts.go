package run

import (
	"context"

	"frizzel/core/textfile"
	"frizzel/internal/selection"
)

// Texts reads every file of the selection as a whole, also those that no rule is for, and calls take with each in path
// order.
func (p *Plan) Texts(ctx context.Context, take func(selection.File, *textfile.File) error) (*Summary, error) {
	s := &Summary{Tally: p.Program.NewTally()}
	p.Progress.Begin("reading")
	p.Whole, p.everything = true, true
	err := p.all(ctx, s, worker{whole: func(j *job, text *textfile.File) { j.text = text }}, func(j *job) error {
		if j.text == nil {
			return nil
		}
		return take(j.file, j.text)
	})
	return s, err
}
