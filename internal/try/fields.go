package try

import (
	"bytes"
	"slices"

	"charm.land/bubbles/v2/textinput"
	tea "charm.land/bubbletea/v2"

	"frizzel/internal/oneoff"
	"frizzel/internal/terminal"
)

// The fields, in order, and the list behind them.
const (
	oldField = iota
	newField
	whereField
	onList
)

// fields are the texts and switches of a change.
type fields struct {
	inputs [onList]field
	focus  int
	kind   string // one of kinds
	cases  string // one of cases
	// remove says that what is found is replaced by nothing. An empty replacement by itself means that none is given yet.
	remove bool
}

// A field is a line of input that keeps what it cannot show.
type field struct {
	textinput.Model
	terminal.Typed
}

var (
	kinds = []string{"text", "word", "regex"}
	cases = []string{"as written", "any case", "keep case"}
)

func newFields(c *oneoff.Change) *fields {
	f := &fields{kind: c.Kind, cases: cases[0]}
	with := ""
	if c.With != nil {
		with, f.remove = *c.With, *c.With == ""
	}
	switch {
	case c.KeepCase:
		f.cases = cases[2]
	case c.IgnoreCase:
		f.cases = cases[1]
	}
	where := ""
	if len(c.Where) > 0 {
		where = c.Where[0].Text
	}
	for i, text := range []string{c.Old, with, where} {
		in := &f.inputs[i]
		in.Model = textinput.New()
		in.SetVirtualCursor(false)
		in.SetValue(in.Line(text))
		in.Focus()
	}
	return f
}

// text returns what a field holds.
func (f *fields) text(i int) string { return f.inputs[i].Text(f.inputs[i].Value()) }

// change returns c with what the fields hold.
func (f *fields) change(c oneoff.Change) oneoff.Change {
	c.Kind, c.Old, c.With = f.kind, f.text(oldField), nil
	if with := f.text(newField); with != "" || f.remove {
		c.With = &with
	}
	c.IgnoreCase, c.KeepCase = f.cases == cases[1], f.cases == cases[2]
	c.Where = []oneoff.Where{{Text: f.text(whereField)}}
	return c
}

// move goes to another field, or to the list.
func (f *fields) move(by int) { f.focus = (f.focus + by + onList + 1) % (onList + 1) }

// update hands a message to the field with the focus, and reports whether its text changed.
func (f *fields) update(msg tea.Msg) bool {
	in := &f.inputs[f.focus]
	was := in.Value()
	in.Model, _ = in.Model.Update(msg)
	is := in.Value()
	if f.focus == newField && is != "" {
		f.remove = false
	}
	return is != was
}

// turns are the keys that turn a switch. They report whether the change is another one.
var turns = map[string]func(*fields) bool{
	"ctrl+k": func(f *fields) bool { f.kind = after(kinds, f.kind); return true },
	"ctrl+t": func(f *fields) bool { f.cases = after(cases, f.cases); return true },
	"ctrl+r": func(f *fields) bool {
		f.remove = !f.remove
		if f.remove {
			f.inputs[newField].SetValue("")
		}
		return true
	},
}

// after returns the word after another one, in a circle.
func after(words []string, word string) string {
	return words[(slices.Index(words, word)+1)%len(words)]
}

func lineOf(text []byte, at int) int { return 1 + bytes.Count(text[:at], []byte("\n")) }
