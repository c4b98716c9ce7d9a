package authoring

import (
	"bytes"
	"os"
	"path"
	"path/filepath"
	"strconv"
	"strings"

	"frizzel/core/compile"
	"frizzel/core/diff"
	"frizzel/core/document"
	"frizzel/core/learn"
	"frizzel/core/program"
	"frizzel/core/revision"
	"frizzel/core/script"
	"frizzel/core/textfile"
	"frizzel/internal/disk"
	"frizzel/internal/exit"
	"frizzel/internal/names"
)

// LearnOptions are the options of Learn.
type LearnOptions struct {
	Old, New string // files, or directories of them
	// Before, if it is not nil, returns what a file held before, instead of Old.
	Before   func(path string) ([]byte, error)
	Encoding string
	// Passed is called with the path of each file that is on one side only.
	Passed func(path string)
	// NoExample leaves the edit itself out of the script.
	NoExample bool
}

// maxShown is the maximum size in bytes of a file that is learned from.
const maxShown = 64 << 20

// A seenPair is a file before and after.
type seenPair struct {
	name     string
	old, new *textfile.File
}

// Learn returns the script that does to each old file what a person did, as it is in the new one. The error is a refusal if
// there is none.
func Learn(o LearnOptions) (string, error) {
	sides, names, err := o.sides()
	if err != nil {
		return "", err
	}
	pairs, err := o.pairs(sides)
	if err != nil {
		return "", err
	}
	renames, err := learnedNames(names)
	if err != nil {
		return "", err
	}
	return learned(pairs, renames, o.NoExample)
}

// learned returns the script for pairs of files, with the rules about their names.
func learned(pairs []seenPair, renames []script.Node, noExample bool) (string, error) {
	var asked []learn.Pair
	encoding := ""
	for _, p := range pairs {
		if p.old.Document == nil && p.old.Encoding() != p.new.Encoding() {
			encoding = p.new.Encoding()
		}
		asked = append(asked, learn.Pair{Name: p.name, Old: p.old.Text, New: p.new.Text})
	}
	rules, err := learn.Rules(asked)
	if err != nil {
		return "", exit.Refusedf("%w", err)
	}
	text := rules.Script()
	if encoding != "" {
		text = "use encoding \"" + encoding + "\"\n" + text
	}
	s, problems := script.Parse("learned", text)
	if len(problems.Errors()) > 0 {
		return "", problems
	}
	if len(s.Items)+len(renames) == 0 {
		return "", exit.Refusedf("there is no difference to learn from")
	}
	if err := checkLearned(s, pairs); err != nil {
		return "", err
	}
	s.Items = append(s.Items, renames...)
	if !noExample {
		if e := exampleOf(s, pairs); e != nil {
			s.Items = append(s.Items, e)
		}
	}
	return script.Format(s), nil
}

// checkLearned returns an error if a script does not make each new file of its old one, to the last byte.
func checkLearned(s *script.Script, pairs []seenPair) error {
	p, problems := compile.Scripts([]*script.Script{s}, compile.Options{})
	if p == nil {
		return problems
	}
	for _, pair := range pairs {
		r := revision.Of(p, pair.old, program.Input{File: program.File{Path: pair.name, Rel: pair.name}})
		same := bytes.Equal(r.Raw.Apply(pair.old.Raw), pair.new.Raw)
		if pair.old.Document != nil { // of which nobody writes the packages alike
			same = bytes.Equal(r.Text.Apply(pair.old.Text), pair.new.Text)
		}
		if r.Refuse != nil || !same {
			return exit.Refusedf("no rules say this edit of %s: what its bytes become, such as its byte order mark, is not in its text", pair.name)
		}
	}
	return nil
}

// exampleOf returns an example made of the first edit that gives one.
func exampleOf(s *script.Script, pairs []seenPair) *script.Example {
	x := exampler{options: compile.Options{Lenient: true}}
	for _, p := range pairs {
		edits := diff.Compare(p.old.Text, p.new.Text)
		for _, at := range edits[:min(len(edits), 3)] {
			if e := x.example(s, &Seen{Name: p.name, Text: p.old.Text, Edits: edits, At: at}); e != nil {
				return e
			}
		}
	}
	return nil
}

// A side is a file before and after: its name, and where it is.
type side struct{ name, before, after string }

// sides returns the files that are learned from, and what became of all names.
func (o *LearnOptions) sides() (sides []side, names []shownName, err error) {
	info, err := os.Stat(o.New)
	if err != nil {
		return nil, nil, exit.NotRead("file", o.New, err)
	}
	if !info.IsDir() {
		return []side{{filepath.Base(o.New), o.Old, o.New}}, nil, nil
	}
	if o.Before != nil {
		return nil, nil, exit.Wrongf("--old-git is about one file, and %s is a directory", o.New)
	}
	old, err := treeOf(o.Old)
	if err != nil {
		return nil, nil, err
	}
	fresh, err := treeOf(o.New)
	if err != nil {
		return nil, nil, err
	}
	names = paired(old, fresh, "", "", o.Passed)
	if len(names) == 0 {
		return nil, nil, exit.Refusedf("no file is in both %s and %s", o.Old, o.New)
	}
	for _, s := range names {
		if s.kind == disk.Regular && !equalFiles(s.old.path, s.new.path) {
			sides = append(sides, side{s.rel, s.old.path, s.new.path})
		}
	}
	return sides, names, nil
}

// equalFiles reports whether two files have the same content, and are no larger than what is learned from.
func equalFiles(a, b string) bool {
	old, errOld := disk.ReadBounded(a, maxShown)
	fresh, errNew := disk.ReadBounded(b, maxShown)
	return errOld == nil && errNew == nil && bytes.Equal(old, fresh)
}

// pairs reads the files before and after.
func (o *LearnOptions) pairs(sides []side) (pairs []seenPair, err error) {
	for _, s := range sides {
		fresh, err := disk.ReadBounded(s.after, maxShown)
		if err != nil {
			return nil, exit.NotRead("file", s.after, err)
		}
		var old []byte
		if o.Before != nil {
			old, err = o.Before(s.after)
		} else if old, err = disk.ReadBounded(s.before, maxShown); err != nil {
			err = exit.NotRead("file", s.before, err)
		}
		if err != nil {
			return nil, err
		}
		p := seenPair{name: s.name}
		if p.old, err = o.decode(p.name, old); err == nil {
			p.new, err = o.decode(p.name, fresh)
		}
		if err != nil {
			return nil, exit.Refusedf("%s cannot be learned from: %w", s.after, err)
		}
		pairs = append(pairs, p)
	}
	return pairs, nil
}

func (o *LearnOptions) decode(name string, raw []byte) (*textfile.File, error) {
	head := raw[:min(len(raw), textfile.HeadSize)]
	if document.Claims(name, head) {
		return textfile.OfDocument(name, raw)
	}
	if textfile.Binary(head, textfile.Said{Encoding: o.Encoding, Name: name}) {
		return nil, textfile.ErrBinary
	}
	return textfile.Decode(raw, textfile.Said{Encoding: o.Encoding, Name: name})
}

// A Keeper learns rules from what a person does to files by hand, each for its file.
type Keeper struct {
	pairs []seenPair
	names []shownName
}

// AddName adds what a person called a file, or where a link leads.
func (k *Keeper) AddName(rel string, item *names.Item) {
	s := shownName{rel: rel, newRel: rel, kind: item.Kind, target: item.Target.Old, goesTo: item.Target.Now()}
	if item.Name.Changes() {
		s.newRel = path.Join(path.Dir(rel), item.Name.Now())
	}
	k.names = append(k.names, s)
}

// Add adds a file before and after.
func (k *Keeper) Add(path, rel string, old, fresh *textfile.File) error {
	k.pairs = append(k.pairs, seenPair{rel, old, fresh})
	return nil
}

// Script returns the rules of all files, each with the file that it is for.
func (k *Keeper) Script() (string, error) {
	all := &script.Script{Source: &script.Source{Name: "learned"}}
	for i, p := range k.pairs {
		rules, err := learn.Rules([]learn.Pair{{Name: p.name, Old: p.old.Text, New: p.new.Text}})
		if err != nil {
			return "", exit.Refusedf("%w", err)
		}
		text, ok := script.NewText(globOf(p.name), '"')
		if !ok {
			return "", exit.Refusedf("no glob can name %q", p.name)
		}
		s, problems := script.Parse("learned", rules.Script())
		if len(problems.Errors()) > 0 {
			return "", problems
		}
		all.Items = append(all.Items, &script.Rule{
			Name: ruleName(p.name, i), Body: append([]script.Node{&script.Files{Globs: []*script.Text{text}}}, s.Items...),
		})
	}
	named, err := namesOneByOne(k.names, len(k.pairs))
	if err != nil {
		return "", err
	}
	all.Items = append(all.Items, named...)
	return script.Format(all), nil
}

// ruleName makes a rule's name of a path, with a number that keeps it its own.
func ruleName(path string, number int) string {
	base := strings.Map(func(r rune) rune {
		if 'a' <= r && r <= 'z' || '0' <= r && r <= '9' {
			return r
		}
		return '-'
	}, strings.ToLower(filepath.Base(path)))
	if base = strings.Trim(base, "-0123456789"); base == "" {
		base = "file"
	}
	return base + "-" + strconv.Itoa(number+1)
}
