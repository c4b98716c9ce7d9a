package run

import (
	"context"
	"errors"
	"io"

	"frizzel/core/lines"
	"frizzel/core/program"
	"frizzel/core/revision"
	"frizzel/core/textfile"
	"frizzel/internal/change"
	"frizzel/internal/disk"
	"frizzel/internal/selection"
	"frizzel/internal/spool"
)

// largeSize is the minimum size in bytes of a large file. If tests set the width of windows, it is that of
// manyWindows windows.
const (
	largeSize   = 8 << 20
	manyWindows = 8
)

// largeFile returns a file as a large one, or nil if it must be read as a whole. head is its first bytes.
func (p *Plan) largeFile(ctx context.Context, at selection.File, f io.ReaderAt, info disk.Info, head []byte) (*large, error) {
	width, least := int64(change.ChunkSize), int64(largeSize)
	if p.window > 0 {
		width, least = p.window, manyWindows*p.window
	}
	if info.Size < least || p.Whole {
		return nil, nil
	}
	how := p.Program.Windowing(asFile(at), head)
	if how.Order == program.NoWindows || how.Spans && p.asks {
		return nil, nil
	}
	form, err := textfile.FormOf(head, info.Size, p.said(at))
	if err != nil {
		return nil, err
	}
	if form.Declares() { // all of its bytes are held against that at once
		return nil, nil
	}
	l := &large{ctx: ctx, how: how, info: info}
	l.windows = textfile.Windows{Form: form, File: f, Size: info.Size, Width: width}
	l.ending, err = l.windows.FirstEnding()
	return l, err
}

// editLarge runs the program over a large file. It reports false if the file must be read as a whole after
// all.
func (p *Plan) editLarge(ctx context.Context, j *job, l *large, before program.Counters) (bool, error) {
	e, made, refuse, err := p.edited(ctx, l, program.Input{File: asFile(j.file), Before: before})
	if errors.Is(err, errVanishes) {
		return false, nil
	}
	if err != nil {
		return true, err
	}
	j.made = made
	if e.count > 0 || refuse != nil {
		j.result = &Result{At: j.file, Made: made, Refuse: refuse, large: e}
	}
	return true, nil
}

// errVanishes means that all lines of the last window are deleted and the last line had no ending. Then the
// line before must lose its ending, but it is in another window.
var errVanishes = errors.New("the last window vanishes")

// edited runs the program over a large file and spools the edits.
func (p *Plan) edited(ctx context.Context, l *large, in program.Input) (e *edited, made *program.Result, refuse, err error) {
	e = &edited{large: l, kept: p.spool()}
	l.regions = l.regions[:0]
	made = p.Program.NewResult()
	made.Counters = in.Before
	var legacy error // set if a window is not UTF-8
	s := pass{large: l, sums: p.Writes, work: func(w *pane) {
		from := in
		if l.how.Order == program.InOrder {
			from.Before = made.Counters
		}
		w.at.Before = in.Before
		from.Window = &w.at
		if in.Decide != nil {
			var around surroundings
			from.Decide = func(p program.Proposal) program.Answer { return in.Decide(around.cut(p)) }
		}
		n := rewrite(p.Program, w, from)
		w.made, w.res = n, n.Made
	}}
	s.take = func(w *pane) error {
		n := w.made.(*rewritten)
		made.Add(n.Made, l.uncounted(w))
		if refuse == nil {
			refuse = below(n.Refuse, w.at.Lines)
		}
		if legacy == nil {
			legacy = below(n.legacy, w.at.Lines)
		}
		if n.vanishes && l.how.Takes {
			return errVanishes
		}
		p.Progress.Add(int64(len(w.Raw)))
		return e.keep(w, n)
	}
	if err := s.do(ctx); err != nil {
		return nil, nil, nil, err
	}
	e.print = s.print
	if len(made.Failures) > 0 {
		refuse = &revision.FailureError{Note: made.Failures[0]}
	}
	if refuse == nil && legacy != nil {
		var unknown bool
		if unknown, err = l.unknown(ctx, (*textfile.Tongue).Strays); unknown {
			refuse = legacy
		}
	}
	return e, made, refuse, err
}

// uncounted returns the number of lines to add to the notes of a window to get the file's line numbers.
func (l *large) uncounted(w *pane) int {
	if l.how.Order == program.InOrder {
		return 0
	}
	return w.at.Lines
}

// A rewritten is the result of the rules for a window.
type rewritten struct {
	*revision.Revision
	raw, text []byte // the edits against the bytes and against the text, encoded
	legacy    error
	vanishes  bool
}

func rewrite(p *program.Program, w *pane, in program.Input) *rewritten {
	f := w.File
	in.Room = w.edits
	n := &rewritten{Revision: revision.Of(p, f, in)}
	if cap(n.Made.Edits) > cap(w.edits) {
		w.edits = n.Made.Edits
	}
	if len(n.Raw) > 0 {
		w.encoded = n.Raw.Encode(w.encoded[:0])
		n.raw = w.encoded
		if f.Decoded() {
			n.text = n.Text.Encode(nil)
		}
		if wide, ok := f.Writes(n.Text); ok {
			n.legacy = &wide
		}
		n.vanishes = lines.Ending(f.Text) == "" && len(f.Text)+n.Text.Growth() == 0
	}
	return n
}

// below returns a window's error with the line number of the file. before is the number of lines before the
// window.
func below(err error, before int) error {
	var u *textfile.Unencodable
	if errors.As(err, &u) {
		moved := *u
		moved.Line += before
		return &moved
	}
	return err
}

// keep spools the edits of a window.
func (e *edited) keep(w *pane, n *rewritten) (err error) {
	at := regionOf(w, len(n.Raw))
	e.count += len(n.Raw)
	if len(n.raw) > 0 {
		at.kept.raw, err = e.kept.Append(n.raw)
	}
	if err == nil && len(n.text) > 0 {
		at.kept.text, err = e.kept.Append(n.text)
	}
	e.regions = append(e.regions, at)
	return err
}

// noneOfLarge is none for a large file.
func (p *Plan) noneOfLarge(e *edited, at selection.File, in program.Input) (*program.Result, error) {
	made := p.Program.NewResult()
	in.Decide = leave
	s := pass{large: e.large, work: func(w *pane) {
		from := in
		from.Text, from.Window = w.Text, &w.at
		w.res = p.Program.Run(from)
	}}
	s.take = func(w *pane) error {
		made.Add(w.res, e.uncounted(w))
		return nil
	}
	err := e.again(at, s)
	return made, err
}

func leave(program.Proposal) program.Answer { return program.Answer{Leave: true} }

// unknown reports what is asked of the file's bytes: whether its encoding is unknown, or whether some are not UTF-8.
func (l *large) unknown(ctx context.Context, ask func(*textfile.Tongue) bool) (bool, error) {
	if l.windows.Decoded() {
		return false, nil
	}
	var tongue textfile.Tongue
	s := pass{large: l, work: func(*pane) {}, take: func(w *pane) error {
		tongue.Read(w.Text)
		return nil
	}}
	if err := s.do(ctx); err != nil {
		return false, err
	}
	return ask(&tongue), nil
}

// spool returns the spool for the edits of a run.
func (p *Plan) spool() *spool.Spool {
	p.once.Do(func() { p.kept = &spool.Spool{} })
	return p.kept
}
