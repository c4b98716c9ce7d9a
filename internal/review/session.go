// Package review asks a person which changes to accept. It does not know how they are
// made or how they will be written.
//
// The central type is [Session]: files, each with changes that are accepted or left out. An
// answer is stored under the change's key. After each answer the rules run over the file again, so a
// change that depends on one that was left out disappears with it. [Prompt] asks at a plain terminal,
// [Screen] on the whole screen.
package review

import (
	"cmp"
	"fmt"
	"slices"

	"frizzel/core/edit"
	"frizzel/core/program"
	"frizzel/core/script"
)

// An Item is a file to review.
type Item interface {
	// Path returns the file's path as shown to the user, and NewPath the one that it has after the accepted changes.
	Path() string
	NewPath() string
	// Count returns the number of changes that the rules made when the file was first read.
	Count() int
	// Rules returns the number of proposed changes, indexed by rule.
	Rules() []int
	// Decide runs the rules over the file again and asks about each change.
	Decide(decide func(program.Proposal) program.Answer) error
	// Proposed returns the file's text with the accepted changes. Rewrite replaces it with a person's text
	// and returns the file's own text as old.
	Proposed() ([]byte, error)
	// Edits returns the accepted changes of the rules, against the file's text.
	Edits() edit.List
	Rewrite(fresh []byte) (old []byte, edits edit.List, err error)
	// Moved reports whether the file has changed on disk since it was first read.
	Moved() bool
	// Broken reports whether the accepted changes would be refused because the resulting file would be
	// invalid.
	Broken() bool
	// IsDocument reports whether the file is an office document, whose lines are its paragraphs.
	IsDocument() bool
	// ValueAt returns the path of the value that contains a byte of one of the file's texts, or "".
	ValueAt(text []byte, at int) string
}

// Value returns the path of the value that a change is in, or "".
func (f *File) Value(c *Change) string {
	if c.Of != script.Content {
		return ""
	}
	return f.ValueAt(c.Proposal.Text, c.Edits[0].Start)
}

// A Change is a change that a person accepts or declines.
type Change struct {
	program.Proposal
	Left bool
	// ByHand marks an edit of lines by a person. Its Rule is -1 if no rule would have written the same.
	ByHand bool
}

// A File is a file under review.
type File struct {
	Item
	Changes []Change // in order of their positions; nil before Open

	all     int // number of proposed changes
	taken   int // number of accepted ones
	more    int // number of accepted ones that are not in Changes
	answers map[program.Key]program.Answer
	left    bool // the whole file is declined
	hand    *hand
	opened  bool
	session *Session
}

// A Session is the state of a review.
type Session struct {
	Files []*File
	Rules []string // labels
	// Refused, if not nil, returns the reasons why the accepted changes would not be written.
	Refused func() []string
	// Noted, if not nil, returns what else there is to know of the accepted changes.
	Noted func() []string
	// Max is the maximum number of changes of a file that are listed; 0 for no limit. Those after them are accepted,
	// unless their rule or file is declined.
	Max int

	left map[int]bool // rules that are declined in all files
}

// NewSession returns a review in which all changes are accepted.
func NewSession(items []Item, rules []string) *Session {
	s := &Session{Rules: rules, left: map[int]bool{}}
	for _, item := range items {
		s.Add(item)
	}
	return s
}

// Count returns the number of accepted changes, of files with any, and of all changes.
func (s *Session) Count() (changes, files, all int) {
	for _, f := range s.Files {
		if n := f.Count(); n > 0 {
			changes += n
			files++
		}
		all += f.all
	}
	return changes, files, all
}

// Count returns the number of the file's accepted changes.
func (f *File) Count() int {
	if !f.opened {
		return f.Item.Count()
	}
	if f.left {
		return 0
	}
	return f.taken
}

// All returns the number of the file's proposed changes.
func (f *File) All() int { return f.all }

// Open computes the file's changes, unless that is done.
func (f *File) Open() error {
	if f.opened {
		return nil
	}
	return f.run()
}

// Reopen computes the file's changes again, for a file that may have changed on disk.
func (f *File) Reopen() error { return f.run() }

// run runs the rules with the answers so far.
func (f *File) run() error {
	err := f.again()
	f.count()
	return err
}

// count counts the accepted changes.
func (f *File) count() {
	f.taken = f.more
	for i := range f.Changes {
		if !f.Changes[i].Left {
			f.taken++
		}
	}
}

func (f *File) again() error {
	f.Changes, f.opened, f.more = f.Changes[:0], true, 0
	if f.hand != nil && !f.left {
		return f.byHand()
	}
	unlisted := 0
	err := f.Decide(func(p program.Proposal) program.Answer {
		answer, said := f.answers[p.Key]
		if f.left || !said && f.session.left[p.Rule] {
			answer.Leave = true
		}
		if f.session.Max > 0 && len(f.Changes) >= f.session.Max {
			unlisted++
			if !answer.Leave {
				f.more++
			}
			return answer
		}
		c := Change{Proposal: p, Left: answer.Leave}
		c.Edits = p.Answered(answer)
		f.Changes = append(f.Changes, c)
		return answer
	})
	f.all = len(f.Changes) + unlisted
	inOrder(f.Changes)
	return err
}

// inOrder sorts changes by their lines.
func inOrder(changes []Change) {
	slices.SortStableFunc(changes, func(a, b Change) int {
		return cmp.Or(cmp.Compare(a.Line, b.Line), cmp.Compare(a.Key.Statement, b.Key.Statement), cmp.Compare(a.Key.Origin, b.Key.Origin))
	})
}

// Install sets the changes of a file that another goroutine read, in any order, with the number of those that are not
// among them. The file has no answers yet.
func (f *File) Install(proposals []program.Proposal, more int) {
	f.Changes, f.opened, f.more = nil, true, more
	for _, p := range proposals {
		f.Changes = append(f.Changes, Change{Proposal: p})
	}
	inOrder(f.Changes)
	f.all = len(f.Changes) + more
	f.count()
}

// Opened reports whether the file's changes are read.
func (f *File) Opened() bool { return f.opened }

// Answered reports whether a person said anything about the file.
func (f *File) Answered() bool { return len(f.answers) > 0 || f.left || f.hand != nil }

// Close drops the changes of a file without answers, and with them its text.
func (f *File) Close() {
	if !f.Answered() {
		f.Changes, f.opened = nil, false
	}
}

// Adopt takes over the answers of another session about the same paths.
func (s *Session) Adopt(from *Session) error {
	s.left = from.left
	answered := map[string]*File{}
	for _, f := range from.Files {
		if f.Answered() {
			answered[f.Path()] = f
		}
	}
	for _, f := range s.Files {
		was := answered[f.Path()]
		var err error
		switch {
		case was != nil && was.hand != nil && !was.left:
			err = f.Write(was.hand.text())
		case was != nil:
			f.answers, f.left = was.answers, was.left
			err = f.run()
		case len(s.left) > 0:
			err = f.run()
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// Add appends a file to the session.
func (s *Session) Add(item Item) *File {
	f := &File{Item: item, all: item.Count(), answers: map[program.Key]program.Answer{}, session: s}
	s.Files = append(s.Files, f)
	return f
}

// Answer accepts a change, or declines it if leave is true.
func (f *File) Answer(key program.Key, leave bool) error {
	if f.left { // the other changes stay declined, now individually
		f.left, f.hand = false, nil
		for _, c := range f.Changes {
			f.say(c.Key, true)
		}
	}
	f.say(key, leave)
	return f.run()
}

func (f *File) say(key program.Key, leave bool) {
	if key.Statement == handStatement {
		f.hand.left[key.Nth] = leave
		return
	}
	a := f.answers[key]
	a.Leave = leave
	f.answers[key] = a
}

// Edit gives a change another replacement and accepts it.
func (f *File) Edit(key program.Key, fresh []byte) error {
	f.answers[key] = program.Answer{New: fresh}
	f.left, f.hand = false, nil
	return f.run()
}

// Leave declines all changes of the file, or accepts them. It overrides the answers about single changes.
func (f *File) Leave(leave bool) error {
	f.left = leave
	if !leave {
		for key, a := range f.answers {
			a.Leave = false
			f.answers[key] = a
		}
		for _, c := range f.Changes {
			f.say(c.Key, false)
		}
		if f.hand != nil {
			clear(f.hand.left)
		}
	}
	return f.run()
}

// LeaveRule declines all changes of a rule in every file, or accepts them.
func (s *Session) LeaveRule(rule int, leave bool) error {
	s.left[rule] = leave
	for _, f := range s.Files {
		rules := f.Rules()
		proposes := 0 <= rule && rule < len(rules) && rules[rule] > 0
		if f.left || !proposes && f.hand == nil {
			continue
		}
		if err := f.Open(); err != nil {
			return err
		}
		for _, c := range f.Changes {
			if c.Rule == rule {
				f.say(c.Key, leave)
			}
		}
		if err := f.run(); err != nil {
			return err
		}
	}
	return nil
}

// LeaveAll declines all changes of all files, or accepts them.
func (s *Session) LeaveAll(leave bool) error {
	clear(s.left)
	for _, f := range s.Files {
		if err := f.Leave(leave); err != nil {
			return err
		}
	}
	return nil
}

// Place returns where in its file a change is: its line, or that it is about the name.
func (c *Change) Place() string {
	if c.Of != script.Content {
		return c.Of.Address()
	}
	return fmt.Sprintf("line %d", c.Line)
}

// Text returns the change's new text, for a person to edit. It reports false if the change is not a single
// edit within one line.
func (c *Change) Text() (string, bool) {
	if c.Of != script.Content { // the whole name
		return string(c.Edits.Apply(c.Proposal.Text)), true
	}
	if c.ByHand || c.Proposal.Value == nil && len(c.Edits) != 1 {
		return "", false
	}
	text := ""
	if v := c.Proposal.Value; v != nil {
		text = string(v.New)
	} else {
		text = string(c.Edits[0].New)
	}
	for _, b := range []byte(text) {
		if b == '\n' {
			return "", false
		}
	}
	return text, true
}
