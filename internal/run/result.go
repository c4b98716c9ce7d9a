package run

import (
	"bytes"
	"errors"
	"io"
	"iter"

	"frizzel/core/diff"
	"frizzel/core/edit"
	"frizzel/core/program"
	"frizzel/core/revision"
	"frizzel/core/textfile"
	"frizzel/internal/change"
	"frizzel/internal/digest"
	"frizzel/internal/disk"
	"frizzel/internal/names"
	"frizzel/internal/selection"
	"frizzel/internal/spool"
)

// A Result is the result of the rules for a file that they change or that must not be written.
type Result struct {
	At   selection.File
	Made *program.Result
	// Refuse is the reason why the file must not be written, or nil.
	Refuse error

	revision *revision.Revision // nil for a large file
	program  *program.Program
	before   digest.Digest // of revision.File.Raw
	large    *edited       // nil for other files

	names *names.Plan // nil if the program renames nothing
	item  *names.Item // what the file is called; nil if its name stays and nothing was looked for in it
	named bool        // only the path, or a link's target, changes
}

// An edited is the result of the rules for a large file.
type edited struct {
	*large
	print change.Print
	kept  *spool.Spool
	count int // number of edits
}

// A kept refers to the spooled edits of a window. Offsets are relative to the window.
type kept struct {
	raw  spool.Ref
	text spool.Ref // against the window's text, if it differs from the bytes
}

// Changes returns the number of changes, by rules or by hand.
func (r *Result) Changes() (n int) {
	if r.item != nil {
		n = r.item.Changes()
	}
	switch {
	case r.named:
		return n
	case r.revision != nil:
		return n + r.revision.Changes()
	}
	return n + r.Made.All()
}

// Change returns the change to write.
func (r *Result) Change() change.Change { return r.nameChange(r.contentChange()) }

// contentChange returns the change of the content.
func (r *Result) contentChange() change.Change {
	c := change.Change{Path: r.At.Path, Dir: r.At.Dir, Name: r.At.Name, In: r.At.In, Before: r.before}
	for rule, n := range r.Made.Changes {
		if n > 0 {
			c.Rules = append(c.Rules, rule)
		}
	}
	if r.revision != nil {
		c.Edits = r.revision.Raw
	} else {
		c.Print, c.Edits = r.large.print, r.large
	}
	return c
}

// SHA256 returns the digests of the file's old and new content, which other programs can verify.
func (r *Result) SHA256() (before, after digest.Digest, err error) {
	in, err := r.Open()
	if err != nil {
		return before, after, err
	}
	defer func() { _ = in.Close() }()
	was, is := digest.SHA256.New(), digest.SHA256.New()
	err = edit.Rewrite(is, io.TeeReader(in, was), r.Change().Edits)
	return digest.SHA256.Sum(was), digest.SHA256.Sum(is), err
}

// Values returns a function from a line and an offset of the file's text to the path of the value there, or
// "". It returns nil if the text has no values.
func (r *Result) Values() func(line, at int) string {
	if r.revision == nil || r.program == nil || r.named {
		return nil
	}
	if d := r.revision.File.Document; d != nil {
		return func(line, _ int) string { return d.Place(line) }
	}
	f := r.program.Finder(asFile(r.At))
	return func(line, at int) string { return f.AtLine(r.revision.File.Text, line, at) }
}

// IsDocument reports whether the file is an office document.
func (r *Result) IsDocument() bool { return r.revision != nil && r.revision.File.Document != nil }

// Decoded reports whether the file's text differs from its bytes.
func (r *Result) Decoded() bool {
	if r.revision != nil {
		return r.revision.File.Decoded()
	}
	return r.large.windows.Decoded()
}

// Bytes returns the parts of the file's bytes, with their edits, that a diff with context lines around each
// change needs.
func (r *Result) Bytes(context int) diff.Windows {
	if r.revision != nil {
		return diff.Whole(r.revision.File.Raw, r.revision.Raw)
	}
	if !r.large.windows.WholeLines() {
		return diff.Stream(r.Open, r.large)
	}
	return r.large.shown(r.At, context, false)
}

// Text returns the parts of the file's text, with their edits, that a diff with context lines around each
// change needs.
func (r *Result) Text(context int) diff.Windows {
	if r.revision != nil {
		return diff.Whole(r.revision.File.Text, r.revision.Text)
	}
	return r.large.shown(r.At, context, true)
}

// Open returns a reader of the file's original bytes. It fails if the file changed since it was read.
func (r *Result) Open() (io.ReadCloser, error) {
	if r.revision != nil {
		return io.NopCloser(bytes.NewReader(r.revision.File.Raw)), nil
	}
	if r.large.own {
		return io.NopCloser(io.NewSectionReader(r.large.windows.File, 0, r.large.windows.Size)), nil
	}
	f, err := r.At.Reopen(disk.Real{})
	if err != nil {
		return nil, err
	}
	info, err := f.Stat()
	if err == nil && info != r.large.info {
		err = &change.ChangedError{Path: r.At.Path}
	}
	if err != nil {
		disk.Close(f)
		return nil, err
	}
	return disk.Open(f), nil
}

// Held returns the file and the edits to its text. It reports false if the file is large.
func (r *Result) Held() (file *textfile.File, edits edit.List, ok bool) {
	if r.revision == nil {
		return nil, nil, false
	}
	return r.revision.File, r.revision.Text, true
}

// Len returns the number of edits.
func (e *edited) Len() int { return e.count }

// All yields the edits of the file's bytes.
func (e *edited) All() iter.Seq2[edit.Edit, error] {
	return func(yield func(edit.Edit, error) bool) {
		for _, p := range e.regions {
			if p.count == 0 {
				continue
			}
			l, err := e.list(p.kept.raw, &room{}) // new memory: the caller may retain an edit
			if err != nil {
				yield(edit.Edit{}, err)
				return
			}
			for _, made := range l {
				made.Start, made.End = made.Start+int(p.offset), made.End+int(p.offset)
				if !yield(made, nil) {
					return
				}
			}
		}
	}
}

// list reads the spooled edits of a window.
func (e *edited) list(at spool.Ref, into *room) (l edit.List, err error) {
	if into.encoded, err = e.kept.Read(at, into.encoded); err != nil {
		return nil, err
	}
	l, err = edit.DecodeInto(into.edits, into.encoded)
	if err == nil {
		into.edits = l
	}
	return l, err
}

// shown returns the windows that a diff needs, of the text or of the bytes.
func (e *edited) shown(at selection.File, context int, text bool) diff.Windows {
	return func(take func(diff.Window) error) error {
		s := pass{large: e.large, only: near(e.regions, context), apart: true}
		s.work = func(w *pane) {
			win, err := e.window(w, text)
			w.made, w.err = diff.Near(win, context), err
		}
		s.take = func(w *pane) error {
			for _, part := range w.made.([]diff.Window) {
				if err := take(part); err != nil {
					return err
				}
			}
			return nil
		}
		return e.again(at, s)
	}
}

// window returns a window's text or bytes, with the edits to them.
func (e *edited) window(w *pane, text bool) (win diff.Window, err error) {
	p := e.regions[w.number]
	win = diff.Window{Text: w.Raw, Line: p.line, Apart: w.apart}
	kept := p.kept.raw
	if text && e.windows.Decoded() {
		kept = p.kept.text
	}
	if p.count > 0 {
		win.Edits, err = e.list(kept, w.room)
	}
	if !text {
		return win, err
	}
	win.Text = w.Text
	if mark := len(w.Raw) - len(w.Text); mark > 0 && !e.windows.Decoded() {
		for i := range win.Edits {
			win.Edits[i].Start, win.Edits[i].End = win.Edits[i].Start-mark, win.Edits[i].End-mark
		}
	}
	return win, err
}

// near returns the indices of the regions with edits or matches, and of the neighbours that contain context
// lines, with one more line because a region may begin within a line.
func near(all []region, context int) []int {
	wanted := make([]bool, len(all))
	for i, p := range all {
		if p.count == 0 {
			continue
		}
		wanted[i] = true
		for k, n := i-1, 0; k >= 0 && n <= context; k-- {
			wanted[k], n = true, n+all[k].lines
		}
		for k, n := i+1, 0; k < len(all) && n <= context; k++ {
			wanted[k], n = true, n+all[k].lines
		}
	}
	some := []int{}
	for i := range all {
		if wanted[i] {
			some = append(some, i)
		}
	}
	return some
}

// again reads windows of a file again. It fails if the file changed.
func (l *large) again(at selection.File, s pass) error {
	if l.own {
		s.large = l
		return s.do(l.ctx)
	}
	f, err := at.Reopen(disk.Real{})
	if err != nil {
		return err
	}
	defer disk.Close(f)
	info, err := f.Stat()
	if err == nil && info != l.info {
		err = &change.ChangedError{Path: at.Path}
	}
	if err != nil {
		return err
	}
	again := *l
	again.windows.File = f
	s.large = &again
	if err = s.do(l.ctx); errors.Is(err, textfile.ErrShrunk) {
		err = &change.ChangedError{Path: at.Path}
	}
	return err
}
