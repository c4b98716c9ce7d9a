package usecase

import (
	"context"
	"io"
	"path/filepath"

	"frizzel/core/diff"
	"frizzel/core/script"
	"frizzel/internal/change"
	"frizzel/internal/digest"
	"frizzel/internal/rules"
	"frizzel/internal/vault/store"
	"frizzel/internal/vault/transaction"
)

// LayoutOptions say which scripts are to be laid out.
type LayoutOptions struct {
	Paths []string // scripts and directories of them; - is Stdin
	Stdin io.Reader
	Write *Writing // nil only looks
	// Text is called with the result for standard input.
	Text func(string) error
	// Differs is called for each script that is not in the standard layout.
	Differs func(path string)
}

// LaidOut is the result of Layout.
type LaidOut struct {
	Files int           // laid out otherwise
	Run   *store.Record // nil if nothing was written
}

// Layout formats scripts in the standard layout. The error is script.Problems if one has mistakes; then nothing is
// written.
func Layout(ctx context.Context, o LayoutOptions) (*LaidOut, error) {
	scripts, err := rules.ScriptsIn(o.Paths)
	if err != nil {
		return nil, err
	}
	var changes change.List
	var problems script.Problems
	for _, path := range scripts {
		text, err := rules.ReadScript(path, o.Stdin)
		if err != nil {
			return nil, err
		}
		s, ps := script.Parse(filepath.ToSlash(path), text)
		if problems = append(problems, ps...); len(ps) > 0 {
			continue
		}
		fresh := script.Format(s)
		if path == "-" && o.Write != nil {
			if err := o.Text(fresh); err != nil {
				return nil, err
			}
		} else if fresh != text {
			changes = append(changes, layout(path, text, fresh))
		}
	}
	if len(problems) > 0 {
		return nil, problems
	}
	for _, c := range changes {
		o.Differs(c.Path)
	}
	l := &LaidOut{Files: len(changes)}
	if o.Write != nil {
		l.Run, err = o.Write.write(ctx, transaction.Intent{Kind: store.Apply, Changes: len(changes)}, changes)
	}
	return l, err
}

// layout is the change that lays out one script.
func layout(path, text, fresh string) change.Change {
	c := change.Change{Path: path, Before: digest.Of([]byte(text)), Edits: diff.Compare([]byte(text), []byte(fresh))}
	if abs, err := filepath.Abs(path); err == nil {
		if resolved, err := filepath.EvalSymlinks(abs); err == nil {
			abs = resolved
		}
		c.Dir, c.Name = filepath.Dir(abs), filepath.Base(abs)
	}
	return c
}
