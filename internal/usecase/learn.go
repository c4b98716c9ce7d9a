package usecase

import (
	"bytes"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
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
	pairs, err := o.pairs()
	if err != nil {
		return "", err
	}
	return learned(pairs, o.NoExample)
}

// learned returns the script for pairs of files.
func learned(pairs []seenPair, noExample bool) (string, error) {
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
	if len(s.Items) == 0 {
		return "", exit.Refusedf("there is no difference to learn from")
	}
	if err := checkLearned(s, pairs); err != nil {
		return "", err
	}
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

// pairs reads the files before and after.
func (o *LearnOptions) pairs() (pairs []seenPair, err error) {
	names, err := o.names()
	if err != nil {
		return nil, err
	}
	for _, name := range names {
		before, after := filepath.Join(o.Old, name), filepath.Join(o.New, name)
		if name == "" {
			before, after = o.Old, o.New
		}
		fresh, err := disk.ReadBounded(after, maxShown)
		if err != nil {
			return nil, notRead("file", after, err)
		}
		var old []byte
		if o.Before != nil {
			old, err = o.Before(after)
		} else if old, err = disk.ReadBounded(before, maxShown); err != nil {
			err = notRead("file", before, err)
		}
		if err != nil {
			return nil, err
		}
		p := seenPair{name: name}
		if name == "" {
			p.name = filepath.Base(o.New)
		}
		if p.old, err = o.decode(p.name, old); err == nil {
			p.new, err = o.decode(p.name, fresh)
		}
		if err != nil {
			return nil, exit.Refusedf("%s cannot be learned from: %w", after, err)
		}
		pairs = append(pairs, p)
	}
	return pairs, nil
}

func (o *LearnOptions) decode(name string, raw []byte) (*textfile.File, error) {
	head := raw[:min(len(raw), 64<<10)]
	if document.Claims(name, head) {
		return textfile.OfDocument(name, raw)
	}
	if textfile.Binary(head, textfile.Said{Encoding: o.Encoding, Name: name}) {
		return nil, textfile.ErrBinary
	}
	return textfile.Decode(raw, textfile.Said{Encoding: o.Encoding, Name: name})
}

// names returns the files on both sides, "" if the sides are files.
func (o *LearnOptions) names() ([]string, error) {
	info, err := os.Stat(o.New)
	if err != nil {
		return nil, notRead("file", o.New, err)
	}
	if !info.IsDir() {
		return []string{""}, nil
	}
	if o.Before != nil {
		return nil, exit.Wrongf("--old-git is about one file, and %s is a directory", o.New)
	}
	fresh, err := filesIn(o.New)
	if err != nil {
		return nil, err
	}
	old, err := filesIn(o.Old)
	if err != nil {
		return nil, err
	}
	var both []string
	for _, name := range fresh {
		if slices.Contains(old, name) {
			both = append(both, name)
		} else {
			o.Passed(filepath.Join(o.New, name))
		}
	}
	for _, name := range old {
		if !slices.Contains(fresh, name) {
			o.Passed(filepath.Join(o.Old, name))
		}
	}
	if len(both) == 0 {
		return nil, exit.Refusedf("no file is in both %s and %s", o.Old, o.New)
	}
	return both, nil
}

// filesIn returns the regular files below a directory, without those of version control and rule scripts.
func filesIn(dir string) (names []string, err error) {
	err = filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
		switch {
		case err != nil:
			return notRead("directory", path, err)
		case d.IsDir() && d.Name() == ".git":
			return fs.SkipDir
		case d.Type().IsRegular() && !strings.HasSuffix(path, ".friz"):
			name, err := filepath.Rel(dir, path)
			names = append(names, filepath.ToSlash(name))
			return err
		}
		return nil
	})
	return names, err
}

// A Keeper learns rules from what a person does to files by hand, each for its file.
type Keeper struct{ pairs []seenPair }

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
		text, ok := script.NewText(p.name, '"')
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
