package diff

import (
	"bytes"
	"errors"
	"io"
	"iter"
	"sort"

	"frizzel/core/edit"
	"frizzel/core/lines"
)

// Windows passes a text on, window by window, with the edits to it, until take fails.
type Windows func(take func(Window) error) error

// Whole returns the one window of a whole text.
func Whole(text []byte, edits edit.List) Windows {
	return func(take func(Window) error) error { return take(Window{Text: text, Edits: edits}) }
}

// Stream is the text that open reads and the edits to it.
func Stream(open edit.Opener, edits edit.Source) Windows {
	return func(take func(Window) error) error {
		in, err := open()
		if err != nil {
			return err
		}
		defer func() { _ = in.Close() }()
		s := stream{in: in, most: streamed}
		var stop func()
		s.next, stop = iter.Pull2(edits.All())
		defer stop()
		if err := s.pull(); err != nil {
			return err
		}
		return s.windows(take)
	}
}

// streamed is the size in bytes of a streamed window. Tests make it small.
var streamed = 256 << 10

// stream cuts what it reads into windows.
type stream struct {
	in    io.Reader
	most  int // bytes of the next window, or more
	text  []byte
	base  int // bytes before text
	ended bool

	next func() (edit.Edit, error, bool)
	e    edit.Edit // the next one
	more bool
}

func (s *stream) pull() (err error) {
	s.e, err, s.more = s.next()
	return err
}

func (s *stream) windows(take func(Window) error) error {
	var edits edit.List
	for {
		if err := s.fill(); err != nil {
			return err
		}
		cut := len(s.text)
		if !s.ended {
			cut = lines.Start(s.text, 0, cut)
		}
		for s.more && (s.e.Start-s.base < cut || s.ended) && s.e.End-s.base <= cut {
			edits = append(edits, edit.Edit{Start: s.e.Start - s.base, End: s.e.End - s.base, New: s.e.New, Rules: s.e.Rules})
			if err := s.pull(); err != nil {
				return err
			}
		}
		switch {
		case s.ended && s.more:
			return edit.ErrMisfit
		case !s.ended && (cut == 0 || s.more && s.e.Start-s.base < cut): // a line or an edit goes on
			s.most = len(s.text) * 2
			continue
		}
		if err := take(Window{Text: s.text[:cut], Edits: edits}); err != nil || s.ended {
			return err
		}
		s.text, s.base, s.most, edits = append(s.text[:0], s.text[cut:]...), s.base+cut, streamed, nil
	}
}

// fill reads until there is enough for a window, or no more.
func (s *stream) fill() error {
	for len(s.text) < s.most && !s.ended {
		if len(s.text) == cap(s.text) {
			s.text = append(make([]byte, 0, max(s.most, 2*len(s.text))), s.text...)
		}
		n, err := s.in.Read(s.text[len(s.text):cap(s.text)])
		s.text = s.text[:len(s.text)+n]
		if s.ended = errors.Is(err, io.EOF); err != nil && !s.ended {
			return err
		}
	}
	return nil
}

// Near returns the parts of win that hunks with context lines around a change can show: those near
// an edit, and near win's ends, where a neighbouring window may have one. It takes ownership of
// win.Edits.
func Near(win Window, context int) []Window {
	n := 2*context + 2
	var parts []Window
	from, to := 0, lines.Below(win.Text, 0, n+1) // of the part at hand
	line, counted := win.Line, 0
	rest := win.Edits
	add := func(to int) {
		part := Window{Text: win.Text[from:to], Apart: win.Apart || len(parts) > 0}
		line += bytes.Count(win.Text[counted:from], []byte("\n"))
		part.Line, counted = line, from
		n := len(rest)
		if to < len(win.Text) {
			n = sort.Search(n, func(i int) bool { return rest[i].Start >= to })
		}
		part.Edits, rest = rest[:n:n], rest[n:]
		for i := range part.Edits {
			part.Edits[i].Start, part.Edits[i].End = part.Edits[i].Start-from, part.Edits[i].End-from
		}
		parts = append(parts, part)
	}
	last := -1 // where the edit before ends
	next := func(start, end int) {
		if last >= 0 && start-last <= n { // fewer bytes than lines
			last = end
			return
		}
		if last >= 0 {
			to = max(to, lines.Below(win.Text, last, n+1))
		}
		if before := lines.Above(win.Text, start, n); before > to {
			add(to)
			from = before
		}
		last = end
	}
	for _, e := range win.Edits {
		next(e.Start, e.End)
	}
	next(len(win.Text), len(win.Text))
	add(len(win.Text))
	return parts
}
