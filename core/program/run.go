package program

import (
	"frizzel/core/edit"
	"frizzel/core/lines"
	"frizzel/core/outline"
	"frizzel/core/pattern"
	"frizzel/core/tree"
)

// Input is one text to run a program over.
type Input struct {
	Text []byte // UTF-8; not changed
	File File
	// Decide is asked about each change before it is made; nil takes all.
	Decide func(Proposal) Answer
	// Before has the counts of earlier texts, for a program that is Sequential.
	Before Counters
	// Progress, if not nil, is called now and then with the progress of the run: done of steps.
	Progress func(done, of int)

	// Document is the office document whose text Text is, or nil.
	Document Document
	// Window says where Text stands, if it is a window of a larger text.
	Window *Window
	// Room is memory that Result.Edits may lie in; nil if there is none to be used again.
	Room edit.List
}

// A Document answers the machine's questions about an office document.
type Document interface {
	Headings() []outline.Heading
	// Locked returns why the bytes [from, to) of the text as it was read may not change, or "".
	Locked(from, to int) string
	// Place returns where a line, from 1, stands for a reader, or "".
	Place(line int) string
}

// Proposal is one change that a person may take or leave: a match, a span, or all
// that a statement does to the file.
type Proposal struct {
	Key  Key
	Rule int // index in Program.Rules
	Line int // of the text as it was read, from 1, where it begins
	// Edits are against Text, the text as the statement found it, which is never
	// changed. The list is valid during the call only, what it holds longer.
	Edits edit.List
	Text  []byte
	// Value is what is written as the value sees it, of a Proposal of one edit of a value's text;
	// nil of others.
	Value *ValueText
}

// A ValueText is the new text of a value, without quotes and escapes.
type ValueText struct {
	New   []byte
	write func(fresh []byte) edit.List
}

// Write returns the edits that put another text there, against Proposal.Text; none if the value
// cannot hold it.
func (v *ValueText) Write(fresh []byte) edit.List { return v.write(fresh) }

// Key tells one change of a text from all others, whatever became of those: its
// statement, where it stands in the text as it was read, and which it is of those
// that stand there.
type Key struct {
	Statement, Origin, Nth int
}

// An Answer is a person's answer to a Proposal.
type Answer struct {
	Leave bool
	// New, if it is not nil, is written instead of what was proposed, of a
	// Proposal of one edit; of a value it is what the value is to mean.
	New []byte
}

// A Result is the result of a program for one text.
type Result struct {
	Edits edit.List // against Input.Text
	// Changes is how many changes each rule made, by its index.
	Changes []int
	// Encoding is what the text is to be written in, "" for as it is, and
	// EncodedBy the index of the rule that says so.
	Encoding  string
	EncodedBy int
	// Notes are what a person should know.
	Notes []Note
	// Unreadable are the lines of what an address asks for and is never closed, so that the
	// text is not to be written; they are among Notes where the program allows it.
	Unreadable []Note
	// Broken is what the text would not be any more that it was: a text of its syntax.
	Broken []Note
	// Failures are why this text must not be written: a value that a filter cannot
	// take.
	Failures []Note
	// Counters are Input.Before with this text's changes added.
	Counters Counters

	program   *Program
	asserted  []int // matches of each assertion, in the order of the program's
	addressed []selected
	foreign   []bool // by address: whether the text is of another family than its path
	hits      map[*Table]map[int]bool
	once      []once
	bonds     []bond
	known     int  // the byte up to which lines are what they seem
	ended     bool // the last line is to have an ending
}

// selected counts the parts that an address selected in a text.
type selected byte

const (
	notAsked selected = iota
	selectedNothing
	selectedSome
)

// Note is a remark about one rule, -1 for none, and a line of a text, from 1 (0 for none).
type Note struct {
	Rule int
	Line int
	Text string
}

// start makes a run over one text.
func (p *Program) start(in Input) *run {
	r := &run{program: p, in: in, room: in.Room[:0]}
	r.text = r.read(in.Text)
	r.ended = len(in.Text) == 0 || lines.Ending(in.Text) != ""
	r.result = &Result{
		program:   p,
		Changes:   make([]int, len(p.Rules)),
		Counters:  in.Before.next(p.Statements),
		addressed: make([]selected, len(p.Addresses)),
		foreign:   make([]bool, len(p.Addresses)),
		asserted:  make([]int, p.assertions()),
		known:     len(in.Text),
	}
	return r
}

func (p *Program) assertions() (n int) {
	for _, r := range p.Rules {
		n += len(r.Asserts)
	}
	return n
}

// read returns a text of the run's file.
func (r *run) read(text []byte) *outline.Text {
	switch {
	case r.value != nil:
		return outline.New(text, r.value.syntax)
	case r.in.Document != nil:
		return outline.NewDocument(text, r.in.Document.Headings())
	}
	return outline.New(text, syntaxFor(r.in.File, r.program.Syntax(r.in.File)))
}

// Run takes a text through all rules.
func (p *Program) Run(in Input) *Result {
	r := p.start(in)
	for _, rule := range p.Rules {
		r.rule = rule
		if rule.selects(in.File) && r.guarded(rule) {
			r.all(rule.Body)
		}
	}
	i := 0
	for _, rule := range p.Rules {
		r.rule = rule
		for _, a := range rule.Asserts {
			n := 0
			if rule.selects(in.File) {
				n = a.count(r)
			}
			r.result.asserted[i] = n
			i++
		}
	}
	r.result.Edits = r.edits
	r.judge()
	r.result.Counters.keep()
	r.result.ended = r.ended
	return r.result
}

// An Action is a compiled statement, or a compiled address with its statements.
type Action interface {
	do(r *run)
	// needs returns what it needs of a text; on says what it acts on.
	needs(on acted) lineNeeds
}

// Statement is a statement with its number among all, from 0, by which its changes are
// counted and told from others.
type Statement struct {
	Action
	Number int
}

func (n Statement) needs(on acted) lineNeeds { return n.Action.needs(on) }

func (n Statement) do(r *run) {
	r.statement = n.Number
	r.last = n.Number == r.program.Statements-1 && r.program.assertions() == 0
	n.Action.do(r)
	r.worked++
}

// many is how many changes are made between two reports of progress.
const many = 4096

// progress tells how far the run is: statements done, and the place that one is at.
func (r *run) progress(at int) {
	if r.changed++; r.changed%many != 0 || r.in.Progress == nil {
		return
	}
	size := max(len(r.text.Bytes), 1)
	r.in.Progress(min(r.worked*size+at, max(r.program.Statements, 1)*size), max(r.program.Statements, 1)*size)
}

// run is a program at work on one text.
type run struct {
	program   *Program
	in        Input
	result    *Result
	rule      *Rule
	statement int           // the number of the one at work
	worked    int           // statements done
	last      bool          // no other one follows, and nothing is asked of the text in the end
	changed   int           // changes offered, for progress
	unread    map[Note]bool // what was noted of what is never closed
	noted     *changes      // what knows where notes are, until the text is another

	text   *outline.Text // as it is now
	edits  edit.List     // from Input.Text to text
	room   edit.List     // empty, for those of the next statement
	ending string        // the first line ending of Input.Text
	ended  bool          // the last line is to have an ending, as in Input.Text

	// stack holds what the addresses around the statement select, innermost last;
	// empty if it acts on the whole file.
	stack []selection

	tree reading // what was read of the text as a tree of values
	// unproven is set if the text was changed since it was last parsed.
	unproven bool
	value    *value // where the text stands in a larger one, nil for a whole one
}

// selection is the spans of one address.
type selection struct {
	spans   []edit.Span
	address *Address
	nodes   []*tree.Node // of a path
}

func (r *run) all(body []Action) {
	for _, a := range body {
		a.do(r)
	}
}

// parts returns the runs of lines that the statement acts on, in the order of their places.
func (r *run) parts() []edit.Span { return r.expand(r.spans()) }

// spans returns what the statement acts on.
func (r *run) spans() []edit.Span {
	if n := len(r.stack); n > 0 {
		return r.stack[n-1].spans
	}
	return []edit.Span{r.whole()}
}

func (r *run) whole() edit.Span { return edit.SpanOf(0, len(r.text.Bytes)) }

// lineEnding returns the file's first line ending, "\n" if it has none.
func (r *run) lineEnding() string {
	if r.ending == "" {
		if r.in.Window != nil {
			r.ending = r.in.Window.Ending
		} else {
			r.ending = lines.FirstEnding(r.in.Text)
		}
	}
	return r.ending
}

// note remarks on the line that holds a byte of the text, -1 for none.
func (r *run) note(at int, text string) {
	r.result.Notes = append(r.result.Notes, Note{Rule: r.rule.Index, Line: r.lineRead(at), Text: text})
}

// lineRead returns the line, from 1, of the text as it was read, that a byte of the text as
// it is stands on, or was written on; 0 for -1.
func (r *run) lineRead(at int) int {
	if at < 0 {
		return 0
	}
	places := r.places()
	from := places.origin(at)
	if r.value != nil {
		return r.value.outer.lineRead(r.value.place(from))
	}
	if at < len(r.text.Bytes) {
		from = places.behindTaken(from)
	}
	return r.in.linesBefore() + places.lineOf(from)
}

// places returns what carries places of the text as it is back to the one that was read.
func (r *run) places() *changes {
	if r.noted == nil {
		r.noted = r.changes()
	}
	return r.noted
}

// unreadable notes that what is opened on the line that holds a byte is never closed.
func (r *run) unreadable(at int) {
	to, n := r.program.unreadable(r.result), r.unclosed(at)
	if r.unread == nil {
		r.unread = map[Note]bool{}
	}
	if !r.unread[n] {
		r.unread[n] = true
		*to = append(*to, n)
	}
}

// unclosed is the note of what is opened on the line that holds a byte, and is never closed.
func (r *run) unclosed(at int) Note {
	return Note{Rule: r.rule.Index, Line: r.lineRead(at), Text: "what is opened here is never closed"}
}

func (r *run) fail(line int, text string) {
	r.result.Failures = append(r.result.Failures, Note{Rule: r.rule.Index, Line: line, Text: text})
}

// Addressed is an address and what acts there.
type Addressed struct {
	Address *Address
	Body    []Action
}

func (b *Addressed) needs(on acted) lineNeeds {
	n := b.Address.needs(on)
	on = acted{on.alone || b.Address.single(), on.part || b.Address.isPart(), on.runs || b.Address.Outside}
	return n.and(needsOf(b.Body, on))
}

func (b *Addressed) do(r *run) {
	if b.Address.Path() != nil {
		r.at(b)
		return
	}
	if r.enter(b.Address) {
		r.all(b.Body)
		r.leave()
	} else {
		r.bindUnder(b.Body)
	}
}

// enter puts what an address selects on the stack, unless it selects nothing.
func (r *run) enter(a *Address) bool {
	spans, unclosed := r.selected(a)
	for _, line := range unclosed {
		r.unreadable(r.text.Start(line))
	}
	if r.result.addressed[a.Index] == notAsked {
		r.result.addressed[a.Index] = selectedNothing
	}
	if len(unclosed) > 0 { // which says more than that the address selects nothing
		r.result.addressed[a.Index] = selectedSome
	}
	if len(spans) == 0 {
		return false
	}
	r.result.addressed[a.Index] = selectedSome
	r.stack = append(r.stack, selection{spans: spans, address: a})
	return true
}

func (r *run) leave() { r.stack = r.stack[:len(r.stack)-1] }

// Condition is a compiled `when`: what the file has or lacks, or else that a rule, or any,
// has changed it.
type Condition struct {
	Pattern *pattern.Pattern // nil for `when file changed`
	Lacks   bool
	By      int // the rule's index, -1 for any
}

// guarded reports whether all of a rule's conditions hold now.
func (r *run) guarded(rule *Rule) bool {
	for _, w := range rule.When {
		ok := false
		switch {
		case w.Pattern != nil:
			ok = w.Pattern.Has(r.text.Bytes, 0, len(r.text.Bytes)) != w.Lacks
		case w.By >= 0:
			ok = r.result.Changes[w.By] > 0
		default:
			ok = len(r.edits) > 0
		}
		if !ok {
			return false
		}
	}
	return true
}
