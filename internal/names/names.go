// Package names finds which files, directories and links a program renames, and what speaks against it. Nothing is written.
//
// The central type is [Plan]: all names that a walk comes upon, evaluated at once, so that the new path of every file is known
// before the first one is shown. The new names of a directory's entries are checked together: [Plan.Problems] finds those that
// two files would get, [Plan.Dangling] the links that would lead nowhere.
package names

import (
	"context"
	"path/filepath"
	"slices"
	"strings"
	"sync"

	"frizzel/core/program"
	"frizzel/core/script"
	"frizzel/internal/change"
	"frizzel/internal/disk"
	"frizzel/internal/selection"
)

// A Plan is the names that a program changes in a selection.
type Plan struct {
	Items []*Item // in path order
	Count int     // number of names and targets that rules look at

	program  *program.Program
	answers  sync.RWMutex       // guards moves and problems
	at       map[string]*Item   // by the absolute path
	below    map[string][]*Item // what moves in a directory that the walk leaves out, by its absolute path
	links    []link
	hidden   []string // version-control directories that move
	moves    change.Moves
	problems map[*Item]string // nil until they are needed
}

// A link is a symbolic link below the paths given.
type link struct {
	shown, abs string
	item       *Item // nil if nothing of it changes
}

// A seen is a name in the order of a walk.
type seen struct {
	selection.File
	kind disk.Kind
	skip string // the absolute path of what was left out, or ""
}

// Find walks a selection, and runs the program on all names. held returns which rules' conditions hold for a file, by its
// absolute path.
func Find(ctx context.Context, p *program.Program, s *selection.Selection, held func(abs string) []bool) (*Plan, error) {
	var all []seen
	err := s.Walk(ctx, selection.Visitor{
		File: func(f selection.File) error {
			f.Drop()
			if !f.Linked {
				all = append(all, seen{File: f})
			}
			return nil
		},
		Name: func(n selection.Named) error {
			all = append(all, seen{File: n.File, kind: n.Kind})
			return nil
		},
		Skip: func(k selection.Skip) {
			if k.At != nil && k.Reason != selection.SymbolicLink {
				all = append(all, seen{File: selection.File{Path: k.Path}, skip: k.At()})
			}
		},
	})
	if err != nil {
		return nil, err
	}
	plan := &Plan{program: p, at: map[string]*Item{}, below: map[string][]*Item{}}
	items := plan.items(all, held)
	plan.run(items)
	plan.settle(items)
	plan.keep(all, items)
	return plan, nil
}

// items returns an item for each name, nil for what was left out.
func (p *Plan) items(all []seen, held func(abs string) []bool) []*Item {
	items := make([]*Item, len(all))
	for i := range all {
		s := &all[i]
		if s.skip != "" {
			continue
		}
		item := &Item{At: s.File, Kind: s.kind, Name: Text{Of: script.FileName, Old: filepath.Base(s.Name)}}
		switch s.kind {
		case disk.Directory:
			item.Name.Of = script.DirectoryName
		case disk.Link:
			item.Target = Text{Of: script.LinkTarget, Old: targetOf(s.File.Absolute())}
		default:
			if held != nil {
				item.held = held(s.File.Absolute())
			}
		}
		items[i] = item
	}
	return items
}

// run runs the program on each name, in the order of the paths' bytes if the program counts them.
func (p *Plan) run(items []*Item) {
	order := slices.DeleteFunc(slices.Clone(items), func(i *Item) bool { return i == nil })
	if p.program.NumbersNames {
		slices.SortStableFunc(order, func(a, b *Item) int { return strings.Compare(a.At.Path, b.At.Path) })
	}
	var before program.Counters
	for _, item := range order {
		for _, t := range item.Texts() {
			if p.program.NumbersNames {
				t.before = &before
			}
			if made := p.text(item, t); made != nil && p.program.NumbersNames {
				earlier := before
				t.before, before = &earlier, made.Counters
			}
		}
	}
}

// text runs the program on one text, and returns the result; nil if no rule is about it. The result is not retained, since
// there may be very many.
func (p *Plan) text(item *Item, t *Text) *program.Result {
	t.New, t.Rules, t.looked, t.any, t.failed = t.Old, nil, false, false, ""
	if !p.program.Has(t.Of) {
		return nil
	}
	p.Count++
	made := p.program.Name(item.input(t))
	t.looked, t.any = true, made.Any()
	if len(made.Edits) > 0 {
		t.New = string(made.Edits.Apply([]byte(t.Old)))
	}
	for rule, n := range made.Changes {
		if n > 0 {
			t.Rules = append(t.Rules, rule)
		}
	}
	if len(made.Failures) > 0 {
		t.failed = made.Failures[0].Text
	}
	return made
}

// Again runs the program on an item's name once more, for other conditions that hold.
func (p *Plan) Again(item *Item, held []bool) {
	if item.Moves || slices.Equal(item.held, held) {
		return
	}
	item.held = held
	p.Count--
	p.text(item, &item.Name)
}

// Settle computes the new paths from what is accepted by now.
func (p *Plan) Settle() {
	p.answers.Lock()
	defer p.answers.Unlock()
	p.settle(p.Items)
	p.problems = nil
}

// Listed returns the plan of items that a person listed, in path order.
func Listed(p *program.Program, items []*Item) *Plan {
	plan := &Plan{program: p, at: map[string]*Item{}, Items: items}
	for _, item := range items {
		plan.at[item.At.Absolute()] = item
	}
	plan.settle(items)
	return plan
}

// One returns the item of a single file, a directory or a link, whatever directories it is in.
func One(p *program.Program, at selection.File, kind disk.Kind) *Item {
	plan := &Plan{program: p}
	items := plan.items([]seen{{File: at, kind: kind}}, nil)
	plan.run(items)
	return items[0]
}

func (p *Plan) settle(items []*Item) {
	p.moves = change.Moves{}
	for _, item := range items {
		if item != nil && item.Kind == disk.Directory && item.Name.Changes() {
			p.moves[item.At.Absolute()] = item.Name.Now()
		}
	}
}

// keep keeps the items that matter: those that something is found in, and those that move.
func (p *Plan) keep(all []seen, items []*Item) {
	for i, item := range items {
		if item == nil {
			p.leftOut(&all[i])
			continue
		}
		abs := item.At.Absolute()
		matters := p.moves.Of(abs) != abs || item.Kind == disk.Regular && p.program.Conditional()
		for _, t := range item.Texts() {
			matters = matters || t.Proposed() || t.any
		}
		if matters {
			p.Items = append(p.Items, item)
			p.at[abs] = item
		} else {
			items[i] = nil
		}
		if item.Kind == disk.Link {
			l := link{shown: item.At.Path, abs: abs}
			if matters {
				l.item = item
			}
			p.links = append(p.links, l)
		}
	}
}

// leftOut adds what a walk left out, if a directory takes it along.
func (p *Plan) leftOut(s *seen) {
	if p.moves.Of(s.skip) == s.skip {
		return
	}
	all := p.moving(s.Path, s.skip)
	p.below[s.skip] = all
	p.Items = append(p.Items, all...)
}

// Of returns the item of an absolute path, nil if nothing of it matters.
func (p *Plan) Of(abs string) *Item { return p.at[abs] }

// Below returns the items that move with a directory, by the absolute path of what the walk leaves out: a file, or a
// directory with all below it.
func (p *Plan) Below(abs string) []*Item { return p.below[abs] }

// Empty returns the directories that change their names and hold no file and no link.
func (p *Plan) Empty() (all []*Item) {
	full := map[string]bool{}
	for _, item := range p.Items {
		if item.Kind == disk.Directory {
			continue
		}
		for dir := filepath.Dir(item.At.Absolute()); !full[dir] && dir != filepath.Dir(dir); dir = filepath.Dir(dir) {
			full[dir] = true
		}
	}
	for _, item := range p.Items {
		if item.Kind == disk.Directory && item.Name.Changes() && !full[item.At.Absolute()] {
			all = append(all, item)
		}
	}
	return all
}

// VersionControl returns the version-control directories that move with others, and are in no diff.
func (p *Plan) VersionControl() []string { return p.hidden }

// Path returns the path, as people see it, that a file has afterwards, as far as a person accepts that.
func (p *Plan) Path(at *selection.File, item *Item) string {
	name := ""
	if item != nil && item.Name.Changes() {
		name = item.Name.Now()
	}
	p.answers.RLock()
	defer p.answers.RUnlock()
	if name == "" && len(p.moves) == 0 || at.Linked {
		return at.Path
	}
	return p.moves.Shown(at.Path, at.Absolute(), name)
}

// Moved reports whether a file gets another path.
func (p *Plan) Moved(at *selection.File, item *Item) bool {
	p.answers.RLock()
	defer p.answers.RUnlock()
	return item != nil && item.Name.Changes() || len(p.moves) > 0 && p.moves.Of(at.Absolute()) != at.Absolute()
}

// Result returns the program's result for an item, with only what is accepted; of a file that is no item it is what a name
// without any match makes.
func (p *Plan) Result(at *selection.File, item *Item, held []bool) *program.Result {
	if item != nil && item.Kind != disk.Link && item.Name.looked && !item.Name.Left && item.Name.Written == nil {
		return p.program.Name(item.input(&item.Name))
	}
	made := p.program.NewResult()
	if item == nil {
		if !at.Linked {
			made.Join(p.program.Blank(program.Input{Of: script.FileName, File: program.File{Path: at.Path, Rel: at.Rel}, Held: held}))
		}
		return made
	}
	for _, t := range item.Texts() {
		switch {
		case !t.looked:
		case t.Left && t.Proposed(), t.Written != nil, t.hand:
			made.Join(p.accepted(item, t))
		default:
			made.Join(p.program.Name(item.input(t)))
		}
	}
	return made
}

// accepted returns the result for a text that a person answered: what the rules assert is asked of what it will be.
func (p *Plan) accepted(item *Item, t *Text) *program.Result {
	in := item.input(t)
	in.Text, in.Decide = []byte(t.Now()), func(program.Proposal) program.Answer { return program.Answer{Leave: true} }
	made := p.program.Name(in)
	made.Found = p.program.Name(item.input(t)).Found
	if t.Changes() && t.Rule() >= 0 {
		made.Changes[t.Rule()] = 1
	}
	return made
}
