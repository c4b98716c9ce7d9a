package run

import (
	"context"

	"frizzel/core/textfile"
	"frizzel/internal/disk"
	"frizzel/internal/selection"
)

// A Text is a file that was read as a whole, or a directory or a link.
type Text struct {
	At   selection.File
	Kind disk.Kind
	File *textfile.File // nil if there is no content to read
}

// Texts reads every file of the selection as a whole, also those that no rule is for, and calls take with each in path
// order. If the program is about names, it calls take with directories and links, too, and with files that are no texts.
func (p *Plan) Texts(ctx context.Context, take func(Text) error) (*Summary, error) {
	s := &Summary{Tally: p.Program.NewTally()}
	p.Progress.Begin("reading")
	p.Whole, p.everything, p.finds = true, true, p.Program.Named()
	err := p.all(ctx, s, worker{whole: func(j *job, text *textfile.File) { j.text = text }}, func(j *job) error {
		if j.text == nil && !p.finds {
			return nil
		}
		return take(Text{j.file, j.kind, j.text})
	})
	return s, err
}
