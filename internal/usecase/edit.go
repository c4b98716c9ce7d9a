package usecase

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"unicode/utf8"

	"frizzel/core/diff"
	"frizzel/core/edit"
	"frizzel/core/lines"
	"frizzel/core/listing"
	"frizzel/core/program"
	"frizzel/core/script"
	"frizzel/core/textfile"
	"frizzel/internal/change"
	"frizzel/internal/digest"
	"frizzel/internal/disk"
	"frizzel/internal/exit"
	"frizzel/internal/names"
	"frizzel/internal/rules"
	"frizzel/internal/run"
	"frizzel/internal/selection"
	"frizzel/internal/vault/store"
	"frizzel/internal/vault/transaction"
)

// EditOptions are the options of Edit.
type EditOptions struct {
	Find    *run.Plan // finds what is listed
	What    run.Sought
	Hand    *run.Plan       // writes what a person made of it: the same files, the rules without a search
	Context int             // lines around what was found
	Rules   *rules.Compiled // of Hand
	Write   Writing
	// Open opens a file in the person's editor, at a 1-based line, until it is closed.
	Open func(ctx context.Context, path string, line int) error
	// Mistaken reports a mistake in the list before it is opened again.
	Mistaken func(error)
	Ask      func(ctx context.Context, all []*run.Pending, fresh [][]byte, refused func() []string) (bool, error) // nil takes all
	Show     func(*run.Pending) error
	Ready    func(*Applied) error
	// Keep, if it is not nil, is called with each file's text and what a person made of it, before anything is written.
	Keep func(path, rel string, old, fresh *textfile.File) error
	// KeepName, if it is not nil, is called with what a person called a file.
	KeepName func(rel string, item *names.Item)
}

// moves returns an error if scripts move or sort lines, which have no place in a list.
func moves(scripts []*script.Script) error {
	var at script.Node
	var walk func([]script.Node)
	walk = func(nodes []script.Node) {
		for _, n := range nodes {
			switch n := n.(type) {
			case *script.Rule:
				walk(n.Body)
			case *script.Addressed:
				walk(n.Body)
			case *script.Sort:
				at = n
			case *script.Transfer:
				if n.Move {
					at = n
				}
			}
		}
	}
	for _, s := range scripts {
		walk(s.Items)
		if at != nil {
			return exit.Refusedf("%s:%d moves or sorts lines, which a list of lines cannot show; use apply", s.Source.Name, at.Place().Line)
		}
	}
	return nil
}

// Listable returns an error if the rules move or sort lines.
func Listable(r rules.Given) error {
	read, err := r.Parse()
	if err != nil {
		return err
	}
	return moves(read.Scripts)
}

// A listed is a file of the list.
type listed struct {
	at     selection.File
	digest digest.Digest   // of the content, if any of it is listed
	made   *program.Result // of the rules
	kind   disk.Kind
	named  bool // the content is not listed
}

// entryLabels are the words of entries that are no part of a content.
var entryLabels = map[script.Subject]string{script.FileName: "name", script.DirectoryName: "name", script.LinkTarget: "target"}

// Edit lists what was found, has a person edit the list, and writes the differences. If something speaks against writing the
// error is a refusal.
func Edit(ctx context.Context, o EditOptions) (*Applied, error) {
	a := &Applied{}
	if _, err := Recover(ctx, o.Write); err != nil {
		return a, err
	}
	o.Find.Writes, o.Find.Whole, o.Hand.Whole = true, true, true
	o.Hand.ForReview()
	files, of, err := o.list(ctx, a)
	if err == nil && len(files) == 0 {
		return a, o.Ready(a)
	}
	if err != nil {
		return a, err
	}
	o.Find.Progress.Begin("")
	edits, called, dir, err := o.edited(ctx, files)
	if err != nil {
		return a, err
	}
	t, err := o.collect(ctx, a, of, edits, called)
	if err == nil && len(a.Refuses) > 0 {
		err = exit.Refusals(a.Refuses)
	}
	if err != nil { // what was typed is not lost
		return a, exit.With(exit.Of(err), fmt.Errorf("%w\nthe edited list is kept in %s", err, filepath.Join(dir, listName)))
	}
	_ = os.RemoveAll(dir)
	a.Run, err = o.Write.write(ctx, transaction.Intent{Kind: store.Apply, Rules: o.Rules.Labels, Changes: t.count}, &t.changes)
	if a.Run != nil {
		a.Files = t.changes.Len()
	}
	return a, err
}

// list lists what is found.
func (o *EditOptions) list(ctx context.Context, a *Applied) (files []listing.File, of []listed, err error) {
	add := func(l listed, text *textfile.File, entries, called []listing.Entry, top []string) {
		if len(entries)+len(top)+len(called) == 0 {
			return
		}
		f := listing.File{Name: l.at.Path, Entries: append(called, entries...), Top: top}
		if l.named = len(entries)+len(top) == 0; !l.named {
			f.Ending, f.Size, l.digest = cmp.Or(lines.FirstEnding(text.Text), "\n"), len(text.Text), digest.Of(text.Raw)
		}
		files, of = append(files, f), append(of, l)
	}
	if o.What == run.Assertions {
		a.Summary, err = o.Find.Find(ctx, o.What, func(f *run.Found) error {
			var entries, called []listing.Entry
			var text *textfile.File
			err := f.Each(0, func(s *run.Sight) error {
				if s.Of == script.Content {
					text, entries = s.File, found(s, o.Context)
				} else if len(s.Matches) > 0 {
					called = append(called, label(s.Of, string(s.File.Text), string(s.File.Text)))
				}
				return nil
			})
			add(listed{at: f.At, kind: f.Kind}, text, entries, called, nil)
			return err
		})
		return files, of, err
	}
	a.Summary, err = o.Find.Do(ctx, func(r *run.Result) (bool, error) {
		if r.Refuse != nil {
			a.Refuses = append(a.Refuses, refusal(r.At.Path, r.Refuse))
			return false, nil
		}
		var called []listing.Entry
		for _, t := range r.Texts() {
			called = append(called, label(t.Of, t.Old, t.Now()))
		}
		l := listed{at: r.At, made: r.Made, kind: r.Kind()}
		if !r.HasContent() {
			add(l, nil, nil, called, nil)
			return true, nil
		}
		text, edits, ok := r.Held()
		if !ok {
			return false, run.ErrLarge
		}
		entries, top := changed(text.Text, edits, o.Context)
		add(l, text, entries, called, top)
		return true, nil
	})
	if err == nil && len(a.Refuses) > 0 {
		err = exit.Refusals(a.Refuses)
	}
	return files, of, err
}

// label returns the entry of a name, or of a link's target.
func label(of script.Subject, old, fresh string) listing.Entry {
	return listing.Entry{Label: entryLabels[of], Old: old, New: fresh}
}

// found returns the entries of the matches in a text: the values, or the lines with those around them.
func found(s *run.Sight, context int) (entries []listing.Entry) {
	text := s.File.Text
	line, at := 1, 0
	number := func(offset int) int {
		line += bytes.Count(text[at:offset], []byte("\n"))
		at = offset
		return line
	}
	next := 0 // the first byte that is not listed
	for _, m := range s.Matches {
		if m.Whole {
			if start, end := m.Written[0], m.Written[1]; start < end {
				e := listing.Entry{Line: number(start), Start: start, End: end, Next: end, Old: string(text[start:end])}
				e.Column = 1 + utf8.RuneCount(text[lines.Start(text, 0, start):start])
				e.New = e.Old
				entries = append(entries, e)
			}
			continue
		}
		from := max(lines.Above(text, lines.Start(text, 0, m.Start), context), next)
		to := lines.Below(text, lines.Start(text, 0, max(m.Start, m.End-1)), context+1)
		for ; from < to; from = next {
			next = lines.Next(text, from, len(text))
			entries = append(entries, lineEntry(text, from, next, number(from)))
		}
	}
	return entries
}

// lineEntry returns the entry of a line as it is.
func lineEntry(text []byte, start, next, number int) listing.Entry {
	content := lines.Content(text[start:next])
	return listing.Entry{Line: number, Start: start, End: start + len(content), Next: next, Old: string(content), New: string(content)}
}

// changed returns the entries of the lines that edits change, as they would become, and lines to add at the top. A line
// without a change is an entry if context says so, or if lines are added behind it.
func changed(text []byte, edits edit.List, context int) (entries []listing.Entry, top []string) {
	start, number := 0, 1
	for _, h := range diff.Hunks(text, edits, max(context, 1)) {
		for ; number < h.OldStart && (h.OldLines > 0 || number <= h.OldStart); number++ {
			start = lines.Next(text, start, len(text))
		}
		var open []int // removed lines of the block that no new line is paired with
		keep := -1     // the line without a change before the block
		for _, l := range h.Lines {
			content := string(lines.Content(l.Text))
			switch l.Op {
			case diff.Add:
				switch {
				case len(open) > 0:
					e := &entries[open[0]]
					e.New, e.Deleted, open = content, false, open[1:]
				case keep >= 0:
					entries, keep = append(entries, lineEntry(text, lines.Above(text, start, 1), start, number-1)), -1
					entries[len(entries)-1].Added = []string{content}
				case len(entries) > 0 && start > 0:
					last := &entries[len(entries)-1]
					last.Added = append(last.Added, content)
				default:
					top = append(top, content)
				}
				continue
			}
			next := lines.Next(text, start, len(text))
			e := lineEntry(text, start, next, number)
			start, number = next, number+1
			if l.Op == diff.Remove {
				e.Deleted = true
				open, keep = append(open, len(entries)), -1
				entries = append(entries, e)
				continue
			}
			open, keep = nil, e.Line
			if context > 0 {
				entries, keep = append(entries, e), -1
			}
		}
	}
	return entries, top
}

const listName = "list.txt"

// maxOpened is how often a list with mistakes is opened, for an editor that makes another one each time.
const maxOpened = 20

// edited opens the list in the editor, again and again until it can be read, and returns the edits of each file and the new
// names, and the directory of the list.
func (o *EditOptions) edited(ctx context.Context, files []listing.File) (edits []edit.List, called []map[string]string, dir string, err error) {
	dir, err = os.MkdirTemp("", "frizzel-")
	if err != nil {
		return nil, nil, "", err
	}
	path := filepath.Join(dir, listName)
	var b bytes.Buffer
	if err = listing.Write(&b, files); err == nil {
		err = os.WriteFile(path, b.Bytes(), 0o600)
	}
	if err != nil {
		return nil, nil, dir, errors.Join(err, os.RemoveAll(dir))
	}
	before, line := "", 0
	for opened := 1; ; opened++ {
		if err := o.Open(ctx, path, line); err != nil {
			return nil, nil, dir, exit.Refusedf("the editor failed, so nothing was written: %v; the list is kept in %s", err, path)
		}
		text, err := os.ReadFile(path)
		if err != nil {
			return nil, nil, dir, exit.Refusedf("the editor left no list that can be read, so nothing was written: %v", err)
		}
		edits, called, err = listing.Read(string(text), files)
		var mistake *listing.Mistake
		switch {
		case err == nil:
			return edits, called, dir, nil
		case string(text) == before || opened == maxOpened:
			return nil, nil, dir, exit.Refusedf("nothing was written: %v\nthe edited list is kept in %s", err, path)
		case errors.As(err, &mistake):
			line = mistake.Line
		}
		o.Mistaken(err)
		before = string(text)
	}
}

// collect turns the edits into changes of files, and asks about them.
func (o *EditOptions) collect(ctx context.Context, a *Applied, of []listed, edits []edit.List, called []map[string]string) (*taken, error) {
	var all, shown []*run.Pending
	var texts [][]byte
	items := o.called(of, called)
	a.Summary.Names = o.Hand.Names
	for i, l := range of {
		p := o.Hand.Listed(l.at, l.made)
		var fresh []byte
		if !l.named {
			var err error
			if fresh, err = o.rewrite(ctx, p, l, edits[i]); err != nil {
				return nil, err
			}
		}
		if items[i] != nil {
			if p.Named(items[i], p.Change.Count() == 0); !p.HasContent() {
				fresh = nil
			}
		}
		all = append(all, p)
		if p.Change.Count() > 0 {
			shown, texts = append(shown, p), append(texts, fresh)
		}
	}
	if o.What == run.Assertions {
		a.Summary.Tally = o.Hand.Program.NewTally()
		for _, p := range all {
			a.Summary.Tally.Add(p.At.Path, o.Hand.Program.NewResult())
		}
	}
	refused := func() []string {
		a.Summary.Recount(all)
		return append(namesRefused(o.Hand), a.Summary.Tally.Unmet()...)
	}
	if o.Ask != nil && len(shown) > 0 {
		write, err := o.Ask(ctx, shown, texts, refused)
		if err == nil && !write {
			err = ErrNothingTaken
		}
		if err != nil {
			return nil, err
		}
	}
	a.Refuses = append(a.Refuses, refused()...)
	t := &taken{}
	for _, p := range all {
		switch {
		case p.Refuse != nil:
			a.Refuses = append(a.Refuses, refusal(p.At.Path, p.Refuse))
		case p.Change.Count() > 0:
			t.count += p.Changes
			if err := t.changes.Add(p.Change); err != nil {
				return nil, err
			}
			if o.Ask == nil {
				if err := o.Show(p); err != nil {
					return nil, err
				}
			}
		}
	}
	return t, o.Ready(a)
}

// called returns what a person called each file, nil for one whose name stays, and makes that the plan's names.
func (o *EditOptions) called(of []listed, called []map[string]string) []*names.Item {
	items, all := make([]*names.Item, len(of)), []*names.Item{}
	for i, l := range of {
		if len(called[i]) == 0 {
			continue
		}
		item := names.One(o.Hand.Program, l.at, l.kind)
		for _, t := range item.Texts() {
			t.ByHand(t.Old)
			if text, ok := called[i][entryLabels[t.Of]]; ok {
				t.ByHand(text)
			}
		}
		items[i], all = item, append(all, item)
		if o.KeepName != nil {
			o.KeepName(l.at.Rel, item)
		}
	}
	if len(all) > 0 {
		o.Hand.Names = names.Listed(o.Hand.Program, all)
	}
	return items
}

// rewrite makes edits the change of a file, and returns its new text. The file must be what it was when it was listed.
func (o *EditOptions) rewrite(ctx context.Context, p *run.Pending, l listed, edits edit.List) ([]byte, error) {
	old, err := p.Text(ctx, l.digest)
	if err != nil {
		return nil, err
	}
	fresh := slices.Clone(edits.Apply(old.Text))
	if _, _, err = p.Rewrite(ctx, fresh); err != nil {
		return nil, exit.Refusedf("%s", refusal(l.at.Path, err))
	}
	if p.Change.Count() > 0 && p.Change.Before != l.digest {
		return nil, &change.ChangedError{Path: l.at.Path}
	}
	if o.Keep != nil && p.Change.Count() > 0 {
		made := *old
		made.Text = fresh
		return fresh, o.Keep(l.at.Path, l.at.Rel, old, &made)
	}
	return fresh, nil
}
