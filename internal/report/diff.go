package report

import (
	"bufio"
	"bytes"
	"errors"
	"io"
	"strings"

	"frizzel/core/diff"
	"frizzel/core/edit"
	"frizzel/core/lines"
	"frizzel/internal/exit"
	"frizzel/internal/run"
	"frizzel/internal/spool"
	"frizzel/internal/terminal"
)

// Result shows a file's changes as a diff.
func (p *Printer) Result(r *run.Result) error {
	if !r.HasContent() {
		return p.onlyNames(r)
	}
	text := r.Bytes(p.Context)
	if p.Terminal && r.Decoded() || r.IsDocument() {
		text = r.Text(p.Context)
	}
	u := p.named(r.At.Path, r.IsDocument())
	u.rename(extendedOf(r))
	return p.diff(u, text, r.Values())
}

// named returns what shows the diff of a file; of a document, in a pipe, as remarks.
func (p *Printer) named(path string, document bool) *unified {
	name := DiffName(path)
	u := &unified{Printer: p, out: p.buffered(), inStream: true, from: diff.Name("a/" + name), to: diff.Name("b/" + name), drawn: p.Terminal, document: document}
	if document && !p.Terminal {
		u.out = bufio.NewWriter(&remarked{out: p.buffered()})
	}
	return u
}

// Text writes a file's changes as a diff of its text, in UTF-8 whatever the file is in.
func (p *Printer) Text(out io.Writer, r *run.Result) error {
	name := DiffName(r.At.Path)
	u := unified{Printer: p, out: bufio.NewWriter(out), from: diff.Name("a/" + name), to: diff.Name("b/" + name)}
	u.rename(extendedOf(r))
	if !r.HasContent() {
		if u.extended == nil {
			return nil
		}
		return u.names()
	}
	return u.write(r.Text(p.Context))
}

// Diff shows the edits to a file's text as a diff.
func (p *Printer) Diff(path string, text diff.Windows) error {
	return p.renamedDiff(path, nil, text)
}

// Created shows a file that is not there yet as a diff.
func (p *Printer) Created(path string, edits edit.List) error {
	u := p.named(path, false)
	u.from = diff.Nothing
	return p.diff(u, diff.Whole(nil, edits), nil)
}

func (p *Printer) diff(u *unified, text diff.Windows, values func(line, at int) string) error {
	if p.Terminal || u.document {
		u.values = values
	}
	return errors.Join(u.write(text), p.buffered().Flush())
}

// A unified writes the diff of one file hunk by hunk, so its length is not limited by memory.
type unified struct {
	*Printer
	out      *bufio.Writer
	from, to string
	drawn    bool                      // for a terminal
	document bool                      // its lines are those of an office document
	extended *extended                 // nil of a file that keeps its path and is no link
	inStream bool                      // other files come before it and behind it
	values   func(line, at int) string // finds the values that lines lie in; nil if nobody asks

	added, removed int // lines
	begun          bool
	line           []byte

	// The counts at the beginning of a hunk are known at its end; one that is too long for
	// memory is spooled until then.
	long    bool
	body    spool.Buffer
	writer  *bufio.Writer // of body
	returns bool
	// written waits for the piece that is written while the next one is made; nil if there is none.
	written func() error
}

// longHunk is the number of lines from which a hunk is written in pieces.
const longHunk = 4096

func (u *unified) write(text diff.Windows) error {
	defer u.body.Close()
	w := diff.Walk{Context: u.Context, Most: longHunk, Hunk: u.take, Plain: !u.drawn && u.values == nil}
	err := text(func(win diff.Window) error { return errors.Join(w.Add(win), u.wait()) })
	if err == nil {
		err = errors.Join(w.End(), u.wait())
	}
	return errors.Join(err, u.out.Flush())
}

// wait waits for the piece that is being written.
func (u *unified) wait() error {
	if u.written == nil {
		return nil
	}
	err := u.written()
	u.written = nil
	return err
}

// take writes a hunk or a piece of one, concurrently with the computation of the next one.
func (u *unified) take(h *diff.Hunk, done bool) error {
	if err := u.wait(); err != nil || done {
		return errors.Join(err, u.hunk(h, done))
	}
	u.written = exit.Async(func() error { return u.hunk(h, false) })
	return nil
}

// hunk writes a hunk, or a piece of one.
func (u *unified) hunk(h *diff.Hunk, done bool) error {
	u.mask(h)
	for i := range h.Lines {
		switch h.Lines[i].Op {
		case diff.Add:
			u.added++
		case diff.Remove:
			u.removed++
		}
	}
	if !u.begun {
		u.begun = true
		u.head()
	}
	if !u.long {
		u.returns = mixedEndings(*h)
	}
	if u.long = u.long || !done; !u.long {
		u.place(h)
		return u.lines(u.out, h)
	}
	if u.writer == nil {
		u.writer = bufio.NewWriterSize(&u.body, 64<<10)
	}
	if err := errors.Join(u.lines(u.writer, h), u.writer.Flush()); err != nil || !done {
		return err
	}
	u.place(h)
	u.long = false
	_, err := u.body.WriteTo(u.out)
	return err
}

// head writes the header with the file's name.
func (u *unified) head() {
	from, to := "--- "+u.Masked(u.from), "+++ "+u.Masked(u.to)
	switch {
	case u.extended != nil && u.drawn && (u.extended.from != u.extended.to || u.extended.link):
		u.extended.draw(u)
		return
	case u.extended != nil && u.drawn:
	case u.extended != nil:
		u.extended.write(u)
		from, to = "--- "+u.from, "+++ "+u.to
	case u.inStream && u.extends && !u.document && !u.drawn: // else these lines would be those of the file before
		line := "diff --git " + u.Masked(strings.TrimSuffix(u.from, "\t")) + " " + u.Masked(strings.TrimSuffix(u.to, "\t"))
		_, _ = u.out.WriteString(line + "\n")
	}
	if u.document {
		from, to = from+"\t(document)", to+"\t(document)"
	}
	if u.drawn {
		from, to = u.Style.head(strings.ReplaceAll(from, "\t", "  ")), u.Style.head(strings.ReplaceAll(to, "\t", "  "))
	}
	_, _ = u.out.WriteString(from + "\n" + to + "\n") // which keeps its error
}

// place writes the header of a hunk.
func (u *unified) place(h *diff.Hunk) {
	if u.drawn {
		about := strings.TrimRight(" "+terminal.Visible([]byte(u.about(*h, u.values))), " ")
		if u.Width > 0 {
			about = Cut(about, max(u.Width-Width(h.Header()), len(" …")))
		}
		_, _ = u.out.WriteString(u.Style.place(h.Header()) + u.Style.rule(about) + "\n")
		return
	}
	u.line = h.AppendHeader(u.line[:0], u.about(*h, u.values))
	_, _ = u.out.Write(u.line)
}

// lines writes the lines that there are of a hunk.
func (u *unified) lines(out *bufio.Writer, h *diff.Hunk) error {
	u.line = u.line[:0]
	for i := range h.Lines {
		l := &h.Lines[i]
		if u.drawn {
			u.Printer.line(out, *l, u.returns)
			continue
		}
		if len(u.line)+len(l.Text) > writtenAtOnce {
			if _, err := out.Write(u.line); err != nil {
				return err
			}
			u.line = u.line[:0]
		}
		u.line = l.Append(u.line)
	}
	_, err := out.Write(u.line)
	return err
}

// writtenAtOnce is the size in bytes of the buffer for lines.
const writtenAtOnce = 32 << 10

// mixedEndings reports whether the lines of a hunk end in more than one way, so
// that their endings must be shown.
func mixedEndings(h diff.Hunk) bool {
	windows, unix := 0, 0
	for _, l := range h.Lines {
		if bytes.HasSuffix(l.Text, []byte("\r\n")) {
			windows++
		} else if bytes.HasSuffix(l.Text, []byte("\n")) {
			unix++
		}
	}
	return windows > 0 && unix > 0
}

// shownLine returns a line's text without its ending. If returns is true, the carriage return of a Windows ending
// stays.
func shownLine(text []byte, returns bool) []byte {
	if returns {
		return bytes.TrimSuffix(text, []byte("\n"))
	}
	return lines.Content(text)
}

// line shows one line of a hunk.
func (p *Printer) line(b io.StringWriter, l diff.Line, returns bool) {
	text, ending := shownLine(l.Text, returns), ""
	if !bytes.HasSuffix(l.Text, []byte("\n")) {
		ending = "\n" + p.Style.Soft(`\ No newline at end of file`)
	}
	write := func(text string) { _, _ = b.WriteString(text) } // which keeps its error
	paint, strong := p.Style.keep, p.Style.keep
	switch l.Op {
	case diff.Remove:
		paint, strong = p.Style.remove, p.Style.removed
	case diff.Add:
		paint, strong = p.Style.add, p.Style.added
	}
	write(paint(string(l.Op)))
	at := 0
	for _, m := range l.Marks {
		from, to := min(m[0], len(text)), min(m[1], len(text))
		if from == 0 && to == len(text) { // the whole line: no highlight
			break
		}
		write(paint(terminal.Visible(text[at:from])))
		write(strong(terminal.Visible(text[from:to])))
		at = to
	}
	write(paint(terminal.Visible(text[at:])))
	write(ending + "\n")
}
