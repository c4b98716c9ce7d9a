// Package diff turns edits into hunks, and hunks into a unified diff.
//
// Hunks are made from edits, not by comparing texts: each run of touching edits becomes a block of
// removed and added lines, and blocks with at most twice the context between them become one hunk.
// That takes time in proportion to the changes and shows exactly what will be written, where a
// comparison may take quadratic time to find some other difference. [Hunks] returns the hunks of a
// text in memory; a [Walk] makes the same ones from a text that is read in windows. [Compare] is for
// the one case without edits, a text that a person edited.
package diff

import (
	"slices"

	"frizzel/core/edit"
	"frizzel/core/lines"
)

// Hunk is changed lines and those around them.
type Hunk struct {
	OldStart, OldLines int // line numbers from 1
	NewStart, NewLines int
	Lines              []Line
	Rules              []int // the rules that made it, ascending
}

// Line is one line of a hunk.
type Line struct {
	Op   Op
	Text []byte // with its line ending; shared with the text or an edit
	// Marks are the byte ranges of Text that an edit took or wrote; nil if it
	// is the whole line.
	Marks [][2]int
}

// An Op is the kind of a line in a hunk.
type Op byte

const (
	Keep   Op = ' '
	Remove Op = '-'
	Add    Op = '+'
)

// Hunks returns the hunks of the edits to text, with up to context lines around the
// changed ones.
func Hunks(text []byte, edits edit.List, context int) []Hunk {
	var hunks []Hunk
	w := Walk{Context: context, Hunk: func(h *Hunk, _ bool) error {
		hunks = append(hunks, *h)
		return nil
	}}
	_ = w.window(Window{Text: text, Edits: edits}, true) // which fails only where Hunk does
	return hunks
}

// Window is a run of whole lines of a text, with the edits to them.
type Window struct {
	Text  []byte
	Edits edit.List // against Text; none reaches beyond it
	// Line is the number of lines before the window. It is used for the first window and for windows that
	// are Apart.
	Line int
	// Apart says that lines were left out between the window before and this one: more than
	// the context on both sides of a change.
	Apart bool
}

// Walk makes the hunks of a text that comes window by window. They are the same whatever
// the windows are.
type Walk struct {
	Context int
	// Hunk is called with each hunk. A hunk of more than Most lines, if that is not 0, is passed
	// in parts, each with the lines since the last one; only the last part, for which
	// done is set, has its counts. Parts, and texts if there are several windows, are
	// valid until the next call, or until Add or End returns.
	Hunk func(h *Hunk, done bool) error
	Most int
	// Plain says that nobody asks for the Marks of lines, which then are nil.
	Plain bool

	text   []byte // the part of earlier windows that is still needed, and the current window
	edits  edit.List
	at     int // behind the last block
	line   int // lines of the whole text before at
	growth int // lines added less lines removed so far
	begun  bool
	open   *Hunk
	own    int // lines of it whose texts no window shares

	// Reused memory: the rest of earlier windows, that rest with the current window, and the new lines of the
	// current piece and of the one that was passed on.
	left, joined []byte
	joinedEdits  edit.List
	fresh        []byte
	passed       scratch
}

// scratch is the memory of a part of a hunk.
type scratch struct {
	lines []Line
	fresh []byte
}

// Add takes the next window.
func (w *Walk) Add(win Window) error { return w.window(win, false) }

// End finishes the walk after the last window.
func (w *Walk) End() error { return w.window(Window{}, true) }

func (w *Walk) window(win Window, last bool) error {
	if win.Apart {
		if err := w.window(Window{}, true); err != nil {
			return err
		}
		w.text, w.edits, w.at = nil, nil, 0
	}
	if win.Apart || !w.begun {
		w.line, w.begun = win.Line, true
	}
	w.take(win)
	i := 0
	for i < len(w.edits) {
		w.roomForBlock(len(w.edits) - i)
		blk, n := nextBlock(w.text, w.edits[i:], !w.Plain, w.fresh[len(w.fresh):])
		if !last && lines.Next(w.text, blk.reach, len(w.text)) == len(w.text) {
			break // an edit of the next window may belong to it
		}
		i += n
		if err := w.block(blk); err != nil {
			return err
		}
	}
	w.edits = w.edits[i:]
	return w.rest(last)
}

// take appends a window to the part of earlier ones that is still needed.
func (w *Walk) take(win Window) {
	if len(w.text) == 0 && len(w.edits) == 0 {
		w.text, w.edits, w.at = win.Text, win.Edits, 0
		return
	}
	shift, before := len(w.text), len(w.edits)
	w.joined = append(append(w.joined[:0], w.text...), win.Text...)
	w.joinedEdits = append(append(w.joinedEdits[:0], w.edits...), win.Edits...)
	w.text, w.edits = w.joined, w.joinedEdits
	for i := range w.edits[before:] {
		e := &w.edits[before+i]
		e.Start, e.End = e.Start+shift, e.End+shift
	}
}

// block adds a block to the current hunk or to a new one.
func (w *Walk) block(blk *block) error {
	if blk.same() {
		return nil
	}
	w.fresh = blk.written
	if w.open != nil && !w.near(blk.start) {
		if err := w.finish(); err != nil {
			return err
		}
	}
	if w.open == nil {
		w.begin(blk)
	}
	return w.extend(blk)
}

// rest ends the current hunk if no later block can belong to it, and keeps the text that later windows may need.
func (w *Walk) rest(last bool) error {
	until := len(w.text)
	if len(w.edits) > 0 {
		until = lines.Start(w.text, 0, w.edits[0].Start)
	}
	if w.open != nil && (last || !w.near(until)) {
		if err := w.finish(); err != nil {
			return err
		}
	}
	if last {
		return nil
	}
	from := w.at
	if w.open == nil {
		from = max(w.before(until), w.at)
	}
	w.line += lines.Count(w.text[w.at:from])
	w.left = append(w.left[:0], w.text[from:]...)
	w.text, w.at, w.edits = w.left, 0, w.edits.Clone()
	for i := range w.edits {
		w.edits[i].Start, w.edits[i].End = w.edits[i].Start-from, w.edits[i].End-from
	}
	w.ownLines()
	return nil
}

// ownLines copies the lines of the current hunk that share memory with a window.
func (w *Walk) ownLines() {
	if w.open == nil {
		return
	}
	shared := w.open.Lines[w.own:]
	size := 0
	for i := range shared {
		size += len(shared[i].Text)
	}
	texts := make([]byte, 0, size)
	for i := range shared {
		from := len(texts)
		texts = append(texts, shared[i].Text...)
		shared[i].Text = texts[from:len(texts):len(texts)]
	}
	w.own = len(w.open.Lines)
}

// near reports whether so few lines lie between the last block and one that starts at
// start that they belong to one hunk.
func (w *Walk) near(start int) bool {
	at := w.at
	for range 2 * w.Context {
		if at >= start {
			return true
		}
		at = lines.Next(w.text, at, len(w.text))
	}
	return at >= start
}

// advance counts the lines up to at.
func (w *Walk) advance(at int) {
	w.line += lines.Count(w.text[w.at:at])
	w.at = at
}

// before returns the start of the context lines above an offset.
func (w *Walk) before(at int) int {
	for range w.Context {
		if at <= w.at {
			break
		}
		at = lines.Start(w.text, 0, at-1)
	}
	return at
}

func (w *Walk) begin(blk *block) {
	w.advance(max(w.before(blk.start), w.at))
	w.open = &Hunk{OldStart: w.line + 1, NewStart: w.line + w.growth + 1}
}

// extend appends the kept lines up to a block, and the block.
func (w *Walk) extend(blk *block) error {
	h := w.open
	w.keep(blk.start)
	h.Lines = appendLines(h.Lines, Remove, blk.old, blk.oldMark)
	h.Lines = appendLines(h.Lines, Add, blk.fresh, blk.newMark)
	h.OldLines += lines.Count(blk.old)
	h.NewLines += lines.Count(blk.fresh)
	w.growth += lines.Count(blk.fresh) - lines.Count(blk.old)
	w.advance(blk.end)
	for _, r := range blk.rules {
		if !slices.Contains(h.Rules, r) {
			h.Rules = append(h.Rules, r)
		}
	}
	slices.Sort(h.Rules)
	if w.Most > 0 && len(h.Lines) > w.Most {
		return w.pass(false)
	}
	return nil
}

// roomForBlock makes room for a block of this many edits, if it is a long one: many lie in one piece
// of memory.
func (w *Walk) roomForBlock(edits int) {
	if edits > longBlock && cap(w.fresh)-len(w.fresh) < longBlock*16 {
		w.fresh = make([]byte, 0, min(max(2*cap(w.fresh), 64<<10), 1<<20))
	}
}

// pass passes on the current piece of the hunk.
func (w *Walk) pass(done bool) error {
	err := w.Hunk(w.open, done)
	if w.own = 0; done {
		w.open, w.fresh = nil, nil
		return err
	}
	next, last := *w.open, scratch{w.open.Lines, w.fresh}
	next.Lines, next.Rules = w.passed.lines[:0], slices.Clone(next.Rules)
	w.open, w.fresh, w.passed = &next, w.passed.fresh[:0], last
	return err
}

// keep appends the lines up to at.
func (w *Walk) keep(at int) {
	h := w.open
	n := len(h.Lines)
	h.Lines = appendLines(h.Lines, Keep, w.text[w.at:at], nil)
	h.OldLines += len(h.Lines) - n
	h.NewLines += len(h.Lines) - n
	w.advance(at)
}

// finish appends the context lines after the last block of the current hunk, and passes the hunk on.
func (w *Walk) finish() error {
	h := w.open
	to := w.at
	for range w.Context {
		to = lines.Next(w.text, to, len(w.text))
	}
	w.keep(to)
	if h.OldLines == 0 {
		h.OldStart--
	}
	if h.NewLines == 0 {
		h.NewStart--
	}
	return w.pass(true)
}

// appendLines cuts text into lines and hands each the marks that lie in it.
func appendLines(all []Line, op Op, text []byte, marks [][2]int) []Line {
	if len(marks) == 0 {
		for at := 0; at < len(text); {
			next := lines.Next(text, at, len(text))
			all = append(all, Line{Op: op, Text: text[at:next]})
			at = next
		}
		return all
	}
	within := make([][2]int, 0, len(marks)) // of all lines, one after another
	for at := 0; at < len(text); {
		next := lines.Next(text, at, len(text))
		l := Line{Op: op, Text: text[at:next]}
		for len(marks) > 0 && marks[0][1] <= at && !(marks[0][0] == marks[0][1] && marks[0][0] == at) {
			marks = marks[1:]
		}
		for _, m := range marks {
			if m[0] >= next {
				break
			}
			if from, to := max(m[0], at), min(m[1], next); from < to {
				within = append(within, [2]int{from - at, to - at})
				l.Marks = within[len(within)-len(l.Marks)-1 : len(within) : len(within)]
			}
		}
		all = append(all, l)
		at = next
	}
	return all
}
