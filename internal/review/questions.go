package review

import (
	"context"
	"fmt"

	"frizzel/core/diff"
	"frizzel/core/program"
	"frizzel/core/script"
	"frizzel/internal/report"
	"frizzel/internal/terminal"
)

// Answers in a session, in addition to those about one file.
const (
	RestOfFile Answer = iota + 100
	OmitRestOfFile
	EachMatch
	EditText
	Back
)

var sessionChoices = map[Answer]choice{
	Yes:            {'y', "yes", "take this one", Yes},
	No:             {'n', "no", "leave this one as it is", No},
	RestOfFile:     {'f', "file", "take the rest of this file", RestOfFile},
	OmitRestOfFile: {'o', "omit", "leave the rest of this file as it is", OmitRestOfFile},
	Rest:           {'r', "rest", "take all that is left, in every file", Rest},
	EachMatch:      {'m', "matches", "ask about each match of this file", EachMatch},
	EditText:       {'c', "change", "write another replacement for this one", EditText},
	Back:           {'b', "back", "take the last answer back", Back},
	Stop:           {'s', "stop", "ask no more; you are asked what to do with those taken so far", Stop},
}

func choicesOf(answers ...Answer) []choice {
	out := make([]choice, len(answers))
	for i, a := range answers {
		out[i] = sessionChoices[a]
	}
	return out
}

// A said is the record of an answer, for undoing it: the changes by key, or the whole file.
type said struct {
	file  int
	keys  []program.Key
	whole bool
	each  bool // whether the file was being asked about match by match
}

// questions is the state of a session at a plain prompt.
type questions struct {
	*Prompt
	*Session
	each    []bool // indexed by file: ask about each match
	done    []bool // indexed by file: all questions are answered
	keys    []map[program.Key]bool
	history []said
}

// Review asks about each file, or about each match if each is true. It reports whether to write the accepted
// changes. It calls show to print a file's diff.
func (p *Prompt) Review(ctx context.Context, s *Session, each bool, show func(i int) error) (bool, error) {
	q := &questions{Prompt: p, Session: s, each: make([]bool, len(s.Files)), done: make([]bool, len(s.Files))}
	for i := range s.Files {
		q.each[i] = each
		q.keys = append(q.keys, map[program.Key]bool{})
	}
	for {
		i, c, err := q.next()
		if err != nil || i < 0 {
			return err == nil, err
		}
		var stop bool
		if c == nil {
			stop, err = q.askFile(ctx, i, show)
		} else {
			stop, err = q.askMatch(ctx, i, c)
		}
		switch {
		case err != nil:
			return false, err
		case stop:
			return q.stop(ctx)
		}
	}
}

// next returns the next file to ask about, and its change if the questions are about matches; -1 if all are
// answered.
func (q *questions) next() (int, *Change, error) {
	for i, f := range q.Files {
		if q.done[i] {
			continue
		}
		if !q.each[i] {
			return i, nil, nil
		}
		if err := f.Open(); err != nil {
			return -1, nil, err
		}
		if c := q.open(i); c != nil {
			return i, c, nil
		}
		q.done[i] = true
	}
	return -1, nil, nil
}

// open returns the first unanswered change of a file.
func (q *questions) open(i int) *Change {
	for n := range q.Files[i].Changes {
		if c := &q.Files[i].Changes[n]; !q.keys[i][c.Key] {
			return c
		}
	}
	return nil
}

func (q *questions) place(i int) string { return fmt.Sprintf("file %d of %d", i+1, len(q.Files)) }

func (q *questions) askFile(ctx context.Context, i int, show func(int) error) (stop bool, err error) {
	f := q.Files[i]
	if err := show(i); err != nil {
		return false, err
	}
	question := fmt.Sprintf("%s (%s): write %s?", report.Moved(f.Path(), f.NewPath()), q.place(i), report.Count(f.Count(), "change"))
	answer, err := q.ask(ctx, question, choicesOf(Yes, No, Rest, EachMatch, Back, Stop))
	if err != nil {
		return false, err
	}
	switch answer {
	case EachMatch:
		q.each[i] = true
		q.history = append(q.history, said{file: i, each: true})
		return false, nil
	case Back:
		return false, q.back()
	case Stop:
		return true, nil
	case Rest:
		q.rest()
		return false, nil
	case No:
		err = f.Leave(true)
	}
	q.done[i] = true
	q.history = append(q.history, said{file: i, whole: true})
	return false, err
}

func (q *questions) askMatch(ctx context.Context, i int, c *Change) (stop bool, err error) {
	f := q.Files[i]
	q.showChange(f, c)
	number := 1
	for n, g := range q.Files {
		if n < i {
			number += g.All()
		}
	}
	for n := range f.Changes {
		if f.Changes[n].Key == c.Key {
			number += n
		}
	}
	_, _, all := q.Count()
	answers := []Answer{Yes, No, RestOfFile, OmitRestOfFile, Rest, Back, Stop}
	text, editable := c.Text()
	if editable {
		answers = []Answer{Yes, No, RestOfFile, OmitRestOfFile, Rest, EditText, Back, Stop}
	}
	question := fmt.Sprintf("change %d of %d, %s: take it?", number, all, q.place(i))
	answer, err := q.ask(ctx, question, choicesOf(answers...))
	if err != nil {
		return false, err
	}
	key := c.Key
	switch answer {
	case No:
		err = f.Answer(key, true)
	case EditText:
		err = q.edit(ctx, f, key, text)
	case RestOfFile, OmitRestOfFile:
		return false, q.restOfFile(i, answer == OmitRestOfFile)
	case Rest:
		q.rest()
		return false, nil
	case Back:
		return false, q.back()
	case Stop:
		return true, nil
	}
	q.keys[i][key] = true
	q.history = append(q.history, said{file: i, keys: []program.Key{key}})
	return false, err
}

// showChange shows one change in its context.
func (q *questions) showChange(f *File, c *Change) {
	place := fmt.Sprintf("%s:%d", report.Path(f.Path()), c.Line)
	if c.Of != script.Content {
		place = report.Path(f.Path()) + ": " + c.Place()
	}
	rule := ""
	if c.Rule >= 0 && q.Rules[c.Rule] != "" {
		rule = "  " + q.Rules[c.Rule]
	}
	if value := f.Value(c); value != "" {
		rule += "  " + terminal.Visible([]byte(value))
	}
	fmt.Fprintf(q.Out, "\n%s%s\n", q.Style.Strong(place), q.Style.Rule(rule))
	for _, h := range diff.Hunks(c.Proposal.Text, c.Edits, 3) {
		for _, l := range q.Style.Lines(h, q.Width, false) {
			fmt.Fprintln(q.Out, l)
		}
	}
}

// edit asks for another replacement. An empty line keeps the proposed one.
func (q *questions) edit(ctx context.Context, f *File, key program.Key, text string) error {
	fmt.Fprintf(q.Out, "proposed: %s\n", terminal.Visible([]byte(text)))
	line, err := q.line(ctx, "instead:  ")
	if err != nil || line == "" {
		return err
	}
	return f.Edit(key, []byte(line))
}

// restOfFile gives all unanswered changes of a file the same answer.
func (q *questions) restOfFile(i int, leave bool) error {
	f := q.Files[i]
	group := said{file: i}
	for c := q.open(i); c != nil; c = q.open(i) {
		key := c.Key
		q.keys[i][key] = true
		group.keys = append(group.keys, key)
		if leave {
			if err := f.Answer(key, true); err != nil {
				return err
			}
		}
	}
	q.history = append(q.history, group)
	return nil
}

// rest accepts all unanswered changes.
func (q *questions) rest() {
	for i := range q.done {
		q.done[i] = true
	}
}

// back undoes the last answer.
func (q *questions) back() error {
	if len(q.history) == 0 {
		fmt.Fprintln(q.Out, "there is no answer to take back")
		return nil
	}
	last := q.history[len(q.history)-1]
	q.history = q.history[:len(q.history)-1]
	f := q.Files[last.file]
	q.done[last.file] = false
	switch {
	case last.each:
		q.each[last.file] = false
		return nil
	case last.whole:
		return f.Leave(false)
	}
	for _, key := range last.keys {
		delete(q.keys[last.file], key)
		delete(f.answers, key)
	}
	return f.run()
}

// stop declines all unanswered changes, if the person confirms that the accepted ones are written.
func (q *questions) stop(ctx context.Context) (bool, error) {
	for i, f := range q.Files {
		switch {
		case q.done[i]:
		case len(q.keys[i]) == 0:
			if err := f.Leave(true); err != nil {
				return false, err
			}
		default:
			if err := q.restOfFile(i, true); err != nil {
				return false, err
			}
		}
	}
	changes, files, _ := q.Count()
	if changes == 0 {
		return false, nil
	}
	return q.Confirm(ctx, fmt.Sprintf("Write the %s in %s taken so far?", report.Count(changes, "change"), report.Count(files, "file")))
}
