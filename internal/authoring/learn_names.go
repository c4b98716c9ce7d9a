package authoring

import (
	"bytes"
	"context"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"frizzel/core/compile"
	"frizzel/core/learn"
	"frizzel/core/program"
	"frizzel/core/script"
	"frizzel/internal/disk"
	"frizzel/internal/exit"
	"frizzel/internal/selection"
)

// A grown is a file, a directory or a link in a tree that is learned from.
type grown struct {
	name   string
	kind   disk.Kind
	target string
	path   string // for reading
	below  []*grown
}

// treeOf reads a directory, as a walk comes upon it.
func treeOf(dir string) (*grown, error) {
	root := &grown{kind: disk.Directory, path: dir}
	at := map[string]*grown{".": root}
	var above func(rel string) *grown
	above = func(rel string) *grown {
		if g := at[rel]; g != nil {
			return g
		}
		g := &grown{name: path.Base(rel), kind: disk.Directory, path: filepath.Join(dir, rel)}
		at[rel] = g
		up := above(path.Dir(rel))
		up.below = append(up.below, g)
		return g
	}
	add := func(f selection.File, kind disk.Kind) {
		if kind == disk.Directory {
			above(f.Rel)
			return
		}
		g := &grown{name: path.Base(f.Rel), kind: kind, path: filepath.Join(dir, f.Rel)}
		if kind == disk.Link {
			g.target, _ = os.Readlink(g.path)
		}
		up := above(path.Dir(f.Rel))
		up.below = append(up.below, g)
	}
	s := selection.Selection{Paths: []string{dir}}
	var failed error
	err := s.Walk(context.Background(), selection.Visitor{
		File: func(f selection.File) error {
			f.Drop()
			add(f, disk.Regular)
			return nil
		},
		Name: func(n selection.Named) error {
			add(n.File, n.Kind)
			return nil
		},
		Skip: func(k selection.Skip) {
			if k.Reason == selection.Unreadable && failed == nil {
				failed = exit.NotRead("file", k.Path, k.Err)
			}
		},
	})
	if err == nil {
		err = failed
	}
	return root, err
}

// A shownName is what became of a file, a directory or a link.
type shownName struct {
	rel, newRel    string // paths below both directories
	kind           disk.Kind
	target, goesTo string
	old, new       *grown
}

// paired returns what became of each file of one tree in the other. passed is called with those that are on one side only.
func paired(old, fresh *grown, rel, newRel string, passed func(path string)) (all []shownName) {
	free := slices.Clone(fresh.below)
	var open []*grown
	pair := func(o, n *grown) {
		s := shownName{path.Join(rel, o.name), path.Join(newRel, n.name), o.kind, o.target, n.target, o, n}
		all = append(all, s)
		free = slices.DeleteFunc(free, func(g *grown) bool { return g == n })
		if o.kind == disk.Directory {
			all = append(all, paired(o, n, s.rel, s.newRel, passed)...)
		}
	}
	for _, o := range old.below {
		if i := slices.IndexFunc(free, func(n *grown) bool { return n.name == o.name && n.kind == o.kind }); i >= 0 {
			pair(o, free[i])
		} else {
			open = append(open, o)
		}
	}
	for least := 1.0; least >= 0.3; least -= 0.1 { // what is most alike first
		for _, o := range slices.Clone(open) {
			best, most := -1, least
			for i, n := range free {
				if n.kind == o.kind {
					if a := alike(o, n); a >= most && (best < 0 || a > most) {
						best, most = i, a
					}
				}
			}
			if best >= 0 {
				open = slices.DeleteFunc(open, func(g *grown) bool { return g == o })
				pair(o, free[best])
			}
		}
	}
	for _, g := range slices.Concat(open, free) {
		passed(g.path)
	}
	return all
}

// maxAlike is the size in bytes up to which files are compared to find out what became of one.
const maxAlike = 1 << 20

// alike returns how much two files of one kind are alike, from 0 to 1. What their names have in common counts a little, so
// that of equal files the one with the nearest name is chosen.
func alike(a, b *grown) float64 {
	const name = 0.05
	near := name * shared(strings.Split(a.name, ""), strings.Split(b.name, ""))
	switch a.kind {
	case disk.Link:
		return near + (1-name)*shared(strings.Split(a.target, ""), strings.Split(b.target, ""))
	case disk.Directory:
		if len(a.below)+len(b.below) == 0 {
			return near + 1 - name
		}
		return near + (1-name)*shared(namesBelow(a), namesBelow(b))
	}
	old, errOld := disk.ReadBounded(a.path, maxAlike)
	fresh, errNew := disk.ReadBounded(b.path, maxAlike)
	if errOld != nil || errNew != nil {
		return near
	}
	if bytes.Equal(old, fresh) {
		return near + 1 - name
	}
	return near + (1-name)*shared(strings.SplitAfter(strings.TrimSuffix(string(old), "\n"), "\n"), strings.SplitAfter(strings.TrimSuffix(string(fresh), "\n"), "\n"))
}

// namesBelow returns the names in a directory, without digits: a host's number may be in each.
func namesBelow(g *grown) (all []string) {
	for _, b := range g.below {
		all = append(all, strings.Map(func(r rune) rune {
			if '0' <= r && r <= '9' {
				return -1
			}
			return r
		}, b.name))
	}
	return all
}

// shared returns which part of two lists is in both.
func shared(a, b []string) float64 {
	count := map[string]int{}
	for _, s := range a {
		count[s]++
	}
	n := 0
	for _, s := range b {
		if count[s] > 0 {
			count[s]--
			n++
		}
	}
	return float64(2*n) / float64(max(len(a)+len(b), 1))
}

// maxOwn is the maximum number of names that have a rule of their own.
const maxOwn = 200

// learnedNames returns the rules that give each file its new name, nil if all names stay.
func learnedNames(all []shownName) ([]script.Node, error) {
	general := namesByRule(all)
	if general != nil && namesFit(general, all) {
		return general, nil
	}
	own, err := namesOneByOne(all, 0)
	if err == nil && len(own) > 0 && !namesFit(own, all) {
		err = exit.Refusedf("no rules say what became of the names: a name is needed for two files at once")
	}
	return own, err
}

// namesByRule returns one rule for all names, nil if there is none.
func namesByRule(all []shownName) []script.Node {
	rule := &script.Rule{Name: "names"}
	joiners, said := "", false
	for _, of := range []script.Subject{script.FileName, script.DirectoryName, script.LinkTarget} {
		var old, fresh []string
		changed := false
		for _, s := range all {
			a, b, ok := s.texts(of)
			if ok {
				old, fresh = append(old, a), append(fresh, b)
				changed = changed || a != b
			}
		}
		if !changed {
			continue
		}
		joining, statements, ok := learn.Names(old, fresh)
		if !ok || said && joining != joiners {
			return nil
		}
		joiners, said = joining, true
		nodes, problems := script.ParseStatements("learned", strings.Join(statements, "\n"))
		if len(problems) > 0 {
			return nil
		}
		rule.Body = append(rule.Body, &script.Addressed{
			Address: &script.Address{Form: &script.Names{Of: of}}, Braces: len(nodes) > 1, Body: nodes,
		})
	}
	if !said {
		return nil
	}
	if joiners != "" {
		rule.Body = append([]script.Node{&script.Joiners{Text: script.Quoted(joiners)}}, rule.Body...)
	}
	return []script.Node{rule}
}

// texts returns the old and the new text of a subject; it reports false if the file has none.
func (s *shownName) texts(of script.Subject) (old, fresh string, ok bool) {
	switch of {
	case script.LinkTarget:
		return s.target, s.goesTo, s.kind == disk.Link
	case script.DirectoryName:
		return path.Base(s.rel), path.Base(s.newRel), s.kind == disk.Directory
	}
	return path.Base(s.rel), path.Base(s.newRel), s.kind != disk.Directory
}

// namesOneByOne returns a rule for each name that changes; their own names have numbers from first+1 on.
func namesOneByOne(all []shownName, first int) (rules []script.Node, err error) {
	for _, s := range all {
		for _, of := range []script.Subject{script.FileName, script.DirectoryName, script.LinkTarget} {
			old, fresh, ok := s.texts(of)
			if !ok || old == fresh {
				continue
			}
			glob, name := script.Quoted(globOf(s.rel)), script.Quoted(strings.ReplaceAll(fresh, "{=", "{=="))
			if glob == nil || name == nil {
				return nil, exit.Refusedf("no rule can name %q", s.rel)
			}
			rules = append(rules, &script.Rule{
				Name: ruleName(s.rel, first+len(rules)), Body: []script.Node{
					&script.Files{Globs: []*script.Text{glob}},
					&script.Addressed{Address: &script.Address{Form: &script.Names{Of: of}}, Body: []script.Node{&script.Rewrite{Text: name}}},
				},
			})
			if len(rules) > maxOwn {
				return nil, exit.Refusedf("more than %d files have new names that no rule says together", maxOwn)
			}
		}
	}
	return rules, nil
}

// globOf returns the glob of one path.
func globOf(rel string) string {
	var b strings.Builder
	for _, r := range rel {
		if strings.ContainsRune(`*?[]{}\`, r) {
			b.WriteByte('\\')
		}
		b.WriteRune(r)
	}
	return b.String()
}

// namesFit reports whether rules give each file its new path, and each link its new target.
func namesFit(rules []script.Node, all []shownName) bool {
	text := script.Format(&script.Script{Source: &script.Source{Name: "learned"}, Items: rules})
	s, problems := script.Parse("learned", text)
	if len(problems.Errors()) > 0 {
		return false
	}
	p, _ := compile.Scripts([]*script.Script{s}, compile.Options{})
	if p == nil {
		return false
	}
	for _, s := range all {
		for _, of := range []script.Subject{script.FileName, script.DirectoryName, script.LinkTarget} {
			old, fresh, ok := s.texts(of)
			if !ok {
				continue
			}
			made := p.Name(program.Input{Of: of, Text: []byte(old), File: program.File{Path: s.rel, Rel: s.rel}})
			if string(made.Edits.Apply([]byte(old))) != fresh {
				return false
			}
		}
	}
	return true
}
