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
	"slices"

	"frizzel/core/edit"
	"frizzel/core/program"
)

// Item is a file that a person is asked about.
type Item interface {
	// Path is the file's name for people.
	Path() string
	// Count is how many changes the rules made when the file was first read.
	Count() int
	// Rules are how many changes each rule proposes, by its index.
	Rules() []int
	// Decide runs the rules over the file again and asks about each change.
	Decide(decide func(program.Proposal) program.Answer) error
	// Proposed is the text that the file would have now, and Rewrite replaces it
	// by one that a person wrote; old is the file's own.
	Proposed() ([]byte, error)
	// Edits are the accepted changes of the rules, against the file's text.
	Edits() edit.List
	Rewrite(fresh []byte) (old []byte, edits edit.List, err error)
	// Moved reports whether the file has changed on disk since it was first read.
	Moved() bool
	// Broken reports whether the accepted changes would be refused because the resulting file would be
	// invalid.
	Broken() bool
	// IsDocument reports whether the file is an office document, whose lines are its paragraphs.
	IsDocument() bool
	// ValueAt is the path of the value that a byte of one of the file's texts lies in, "" for
	// none.
	ValueAt(text []byte, at int) string
}

// Value returns the path of the value that a change is made in, "" for none.
func (f *File) Value(c *Change) string { return f.ValueAt(c.Proposal.Text, c.Edits[0].Start) }

// Change is one change that a person takes or leaves.
type Change struct {
	program.Proposal
	Left bool
	// ByHand marks a line or more of what a person wrote for the whole file. Its Rule is -1
	// where no rule would have written the same.
	ByHand bool
}

// File is a file under review.
type File struct {
	Item
	Changes []Change // in the order of their places, once opened

	all     int // changes proposed, taken or not
	taken   int // of Changes
	answers map[program.Key]program.Answer
	left    bool // the whole file is left as it is
	hand    *hand
	opened  bool
	session *Session
}

// Session is a review at work.
type Session struct {
	Files []*File
	Rules []string // labels
	// Refused, if not nil, returns why the accepted changes would not be written.
	Refused func() []string

	left map[int]bool // rules that are left out everywhere
}

// NewSession begins a review in which all changes are taken.
func NewSession(items []Item, rules []string) *Session {
	s := &Session{Rules: rules, left: map[int]bool{}}
	for _, item := range items {
		s.Files = append(s.Files, &File{Item: item, all: item.Count(), answers: map[program.Key]program.Answer{}, session: s})
	}
	return s
}

// Count returns how many changes in how many files are taken, and how many changes
// there are.
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

// Count returns how many of the file's changes are taken.
func (f *File) Count() int {
	if !f.opened {
		return f.Item.Count()
	}
	if f.left {
		return 0
	}
	return f.taken
}

// All returns how many changes the file's rules propose.
func (f *File) All() int { return f.all }

// Open reads the file's changes, if that is not done yet.
func (f *File) Open() error {
	if f.opened {
		return nil
	}
	return f.run()
}

// Reopen reads the file's changes again, as it may have changed on disk.
func (f *File) Reopen() error { return f.run() }

// run runs the rules again with the answers given so far.
func (f *File) run() error {
	err := f.again()
	f.taken = 0
	for i := range f.Changes {
		if !f.Changes[i].Left {
			f.taken++
		}
	}
	return err
}

func (f *File) again() error {
	f.Changes, f.opened = f.Changes[:0], true
	if f.hand != nil && !f.left {
		return f.byHand()
	}
	err := f.Decide(func(p program.Proposal) program.Answer {
		answer, said := f.answers[p.Key]
		if f.left || !said && f.session.left[p.Rule] {
			answer.Leave = true
		}
		c := Change{Proposal: p, Left: answer.Leave}
		c.Edits = append(edit.List(nil), p.Edits...)
		switch {
		case answer.New == nil:
		case p.Value != nil:
			if edits := p.Value.Write(answer.New); len(edits) > 0 {
				c.Edits = edits
			}
		case len(c.Edits) == 1:
			c.Edits[0].New = answer.New
		}
		f.Changes = append(f.Changes, c)
		return answer
	})
	f.all = len(f.Changes)
	slices.SortStableFunc(f.Changes, func(a, b Change) int {
		return cmp.Or(cmp.Compare(a.Line, b.Line), cmp.Compare(a.Key.Statement, b.Key.Statement), cmp.Compare(a.Key.Origin, b.Key.Origin))
	})
	return err
}

// Answer takes or leaves one change.
func (f *File) Answer(key program.Key, leave bool) error {
	if f.left { // all others stay left, one by one
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

// Edit gives one change another replacement, and takes it.
func (f *File) Edit(key program.Key, fresh []byte) error {
	f.answers[key] = program.Answer{New: fresh}
	f.left, f.hand = false, nil
	return f.run()
}

// Leave leaves the whole file as it is, or takes all its changes, whatever was said
// of each.
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

// LeaveRule leaves all changes of a rule in every file, or takes them.
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

// LeaveAll leaves all changes of all files, or takes them.
func (s *Session) LeaveAll(leave bool) error {
	clear(s.left)
	for _, f := range s.Files {
		if err := f.Leave(leave); err != nil {
			return err
		}
	}
	return nil
}

// Text returns the change's new text, for a person to edit. It reports false where
// the change is not a single piece of one line.
func (c *Change) Text() (string, bool) {
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
