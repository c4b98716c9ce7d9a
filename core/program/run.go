package program

import (
	"frizzel/core/edit"
	"frizzel/core/lines"
	"frizzel/core/outline"
	"frizzel/core/pattern"
	"frizzel/core/script"
	"frizzel/core/syntax"
	"frizzel/core/tree"
)

// An Input is a text to run a program over.
type Input struct {
	Text []byte // UTF-8; read only
	File File
	// Of is what the text is: the file's content, or its name, for which see [Program.Name].
	Of script.Subject
	// Held says, for a name, which rules have conditions that hold, by index; nil if no condition holds.
	Held []bool
	// Decide is called with each change before it is made. If it is nil, all changes are accepted.
	Decide func(Proposal) Answer
	// Before has the counts of earlier texts if the program is Sequential.
	Before Counters
	// Progress, if not nil, is called repeatedly with the number of finished steps and of all steps.
	Progress func(done, of int)

	// Document is the office document whose text Text is, or nil.
	Document Document
	// Window describes Text's position if Text is a window of a larger text.
	Window *Window
	// Counting has Find and Matches count only.
	Counting bool
	// Room is memory to reuse for Result.Edits, or nil.
	Room edit.List
}

// A Document answers the machine's questions about an office document.
type Document interface {
	Headings() []outline.Heading
	// Locked returns why the bytes [from, to) of Input.Text must not change, or "".
	Locked(from, to int) string
	// Place returns the place of a 1-based line in a reader's terms, or "".
	Place(line int) string
}

// start returns a run over one text.
func (p *Program) start(in Input) *run {
	r := &run{program: p, in: in, room: in.Room[:0]}
	r.begin()
	return r
}

// begin makes a run over r.in ready.
func (r *run) begin() {
	p, in := r.program, &r.in
	r.text = r.read(in.Text)
	r.ended = len(in.Text) == 0 || lines.Ending(in.Text) != ""
	numbers := make([]int, len(p.Rules)+p.Statements+p.assertions())
	count := func(n int) []int {
		first := numbers[:n:n]
		numbers = numbers[n:]
		return first
	}
	r.result = &Result{
		program:   p,
		Changes:   count(len(p.Rules)),
		Found:     count(p.Statements),
		asked:     make([]bool, len(p.Rules)),
		Counters:  in.Before.next(p.Statements),
		addressed: make([]selected, len(p.Addresses)),
		foreign:   make([]bool, len(p.Addresses)),
		asserted:  count(p.assertions()),
		known:     len(in.Text),
	}
}

func (p *Program) assertions() (n int) {
	for _, r := range p.Rules {
		n += len(r.Asserts)
	}
	return n
}

// read returns text with its outline options, which depend on the run's file.
func (r *run) read(text []byte) *outline.Text {
	switch {
	case r.in.Of != script.Content:
		return outline.New(text, syntax.None)
	case r.value != nil:
		return outline.New(text, r.value.syntax)
	case r.in.Document != nil:
		return outline.NewDocument(text, r.in.Document.Headings())
	}
	return outline.New(text, syntaxFor(r.in.File, r.program.Syntax(r.in.File)))
}

// Run applies all rules to a text.
func (p *Program) Run(in Input) *Result {
	r := p.start(in)
	for _, rule := range p.Rules {
		r.rule = rule
		if !r.over && rule.selects(in.File) && r.guarded(rule) {
			r.result.asked[rule.Index] = true
			r.all(rule.actions(in.Of))
		}
	}
	if r.over {
		r.edits = nil
	}
	i := 0
	for _, rule := range p.Rules {
		r.rule = rule
		for _, a := range rule.Asserts {
			n := 0
			if a.Of == in.Of && r.result.asked[rule.Index] {
				n = a.count(r)
			}
			r.result.asserted[i] = n
			i++
		}
	}
	r.result.Edits = r.edits
	if in.Of == script.Content {
		r.judge()
	}
	r.result.Counters.keep()
	r.result.ended = r.ended
	return r.result
}

// An Action is a compiled statement, or a compiled address with its statements.
type Action interface {
	do(r *run)
	// needs returns the action's requirements on a text; on describes its selection.
	needs(on acted) lineNeeds
}

// A counter is an action that counts the matches that it finds. Of other actions the selected spans are counted.
type counter interface{ countsMatches() }

func (*Replace) countsMatches()     {}
func (*ReplaceEach) countsMatches() {}
func (*Settle) countsMatches()      {}

// found counts matches of the current statement.
func (r *run) found(n int) { r.result.Found[r.statement] += n }

// A Statement is a statement with its 0-based number, which identifies its changes and their counts.
type Statement struct {
	Action
	Number int
}

func (n Statement) needs(on acted) lineNeeds { return n.Action.needs(on) }

func (n Statement) do(r *run) {
	r.statement = n.Number
	r.last = n.Number == r.program.Statements-1 && r.program.assertions() == 0
	if _, counts := n.Action.(counter); !counts {
		r.found(max(len(r.spans()), len(r.nodes())))
	}
	n.Action.do(r)
	r.worked++
}

// many is the number of changes between two reports of progress.
const many = 4096

// progress reports the progress of the run: the finished statements and the current one's offset.
func (r *run) progress(at int) {
	if r.changed++; r.changed%many != 0 || r.in.Progress == nil {
		return
	}
	size := max(len(r.text.Bytes), 1)
	r.in.Progress(min(r.worked*size+at, max(r.program.Statements, 1)*size), max(r.program.Statements, 1)*size)
}

// A run is the state of a program that runs over one text.
type run struct {
	program   *Program
	in        Input
	result    *Result
	rule      *Rule
	statement int           // number of the current statement
	worked    int           // number of finished statements
	last      bool          // this is the last statement, and nothing checks the final text
	changed   int           // number of proposed changes, for progress
	spent     int           // bytes of memory for edits and their texts
	over      bool          // the budget is exceeded
	unread    map[Note]bool // the notes about unclosed parts, to write each once
	noted     *changes      // translates the offsets of notes; nil after the text changes

	text   *outline.Text // the current text
	edits  edit.List     // from Input.Text to text
	room   edit.List     // unused memory for the next statement's edits
	ending string        // the first line ending of Input.Text
	ended  bool          // the last line has an ending in Input.Text

	// stack has the selections of the enclosing addresses, the innermost last. It is empty if the statement
	// acts on the whole file.
	stack []selection

	tree reading  // the current text, parsed
	rare presence // of the texts of program.Rare in Input.Text
	// unproven is set if the text was changed since it was last parsed.
	unproven bool
	value    *value // the value that the text is; nil if the text is a file's
}

// A selection is the spans or the values of one address.
type selection struct {
	spans   []edit.Span
	address *Address
	nodes   []*tree.Node // the values of a path
}

func (r *run) all(body []Action) {
	for _, a := range body {
		if r.over {
			return
		}
		a.do(r)
	}
}

// parts returns the runs of lines that the statement acts on, in order.
func (r *run) parts() []edit.Span { return r.expand(r.spans()) }

// spans returns the spans that the statement acts on.
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

// note adds a note about the line that contains the byte at, or about no line if at is -1.
func (r *run) note(at int, text string) {
	r.result.Notes = append(r.result.Notes, Note{Rule: r.rule.Index, Line: r.lineRead(at), Text: text})
}

// lineRead returns the 1-based line of Input.Text for a byte of the current text: its own line, or that of the
// edit which wrote it. It returns 0 for -1.
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

// places returns the translation of offsets of the current text to Input.Text.
func (r *run) places() *changes {
	if r.noted == nil {
		r.noted = r.changes()
	}
	return r.noted
}

// unreadable notes that the bracket, tag or range on the line of byte at is never closed.
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

// unclosed returns the note that the bracket, tag or range on the line of byte at is never closed.
func (r *run) unclosed(at int) Note {
	return Note{Rule: r.rule.Index, Line: r.lineRead(at), Text: "what is opened here is never closed"}
}

func (r *run) fail(line int, text string) {
	r.result.Failures = append(r.result.Failures, Note{Rule: r.rule.Index, Line: line, Text: text})
}

// An Addressed is an address and the actions under it.
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

// enter pushes the address's selection and reports true, unless the selection is empty.
func (r *run) enter(a *Address) bool {
	spans, unclosed := r.selected(a)
	for _, line := range unclosed {
		r.unreadable(r.text.Start(line))
	}
	if r.result.addressed[a.Index] == notAsked {
		r.result.addressed[a.Index] = selectedNothing
	}
	if len(unclosed) > 0 { // more specific than a note that the address selects nothing
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

// A Condition is a compiled `when`: that the file contains or lacks a pattern, or that one rule, or any rule,
// changed it.
type Condition struct {
	Pattern *pattern.Pattern // nil for `when file changed`
	Lacks   bool
	By      int // the rule's index; -1 for any rule
}

// guarded reports whether all of a rule's conditions hold now.
func (r *run) guarded(rule *Rule) bool {
	if r.in.Of != script.Content {
		return rule.has(r.in.Of) && r.in.holds(rule)
	}
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
