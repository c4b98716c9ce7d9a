package assist

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"frizzel/core/diff"
	"frizzel/core/edit"
	"frizzel/core/script"
)

// Definition returns the declaration of a name, in the document or in one that it uses, and that document. For the path of
// a script it is the script's start.
func (d *Document) Definition(n Name, load Loader) (at Name, of *Document, ok bool) {
	if n.Kind == ScriptName {
		of = load(d.Beside(n.Text))
		return Name{Kind: ScriptName}, of, of != nil
	}
	for _, u := range d.Used(load) {
		if at, ok := u.Declared(n.Kind, n.Text); ok {
			return at, u, true
		}
	}
	return Name{}, nil, false
}

// errNoRename is the error of a place whose name cannot be another one.
var errNoRename = errors.New("only a rule or a parameter of a script can be renamed")

// Renamable returns the name at an offset that can be renamed.
func (d *Document) Renamable(offset int, load Loader) (Name, error) {
	n, ok := d.NameAt(offset)
	if !ok || n.Kind != RuleName && n.Kind != ParamName {
		return Name{}, errNoRename
	}
	if _, _, ok := d.Definition(n, load); !ok && !n.Declares {
		return Name{}, fmt.Errorf("%s is not declared in this script or in one that it uses", n.Text)
	}
	return n, nil
}

// Rename returns the places of a name in a set of documents that use each other, by document.
func Rename(n Name, fresh string, documents []*Document) (map[*Document][]Name, error) {
	if !script.IsName(fresh) || slices.Contains(script.Builtin(), fresh) {
		return nil, fmt.Errorf("%q cannot name it: a name is small letters, digits and -, beginning with a letter, and not that of a built-in placeholder", fresh)
	}
	places := map[*Document][]Name{}
	declared := ""
	for _, d := range documents {
		for _, other := range d.Names() {
			if other.Kind != n.Kind {
				continue
			}
			switch {
			case other.Declares && other.Text == fresh && fresh != n.Text:
				return nil, fmt.Errorf("%s is declared already, in %s", fresh, d.Name)
			case other.Text != n.Text:
				continue
			case other.Declares && declared != "" && declared != d.Name:
				return nil, fmt.Errorf("%s is declared in %s and in %s; it cannot be renamed in both at once", n.Text, declared, d.Name)
			case other.Declares:
				declared = d.Name
			}
			places[d] = append(places[d], other)
		}
		if n.Kind == ParamName && d.hasGroup(fresh) {
			return nil, fmt.Errorf("a group of an expression in %s is called %s", d.Name, fresh)
		}
	}
	return places, nil
}

// Layout returns the edits that lay the document out the standard way. It reports false if the document has mistakes, or
// ctx ends.
func (d *Document) Layout(ctx context.Context) (edit.List, bool) {
	s, problems := d.Parsed()
	if len(problems.Errors()) > 0 || ctx.Err() != nil {
		return nil, false
	}
	laid := script.Format(s)
	if ctx.Err() != nil {
		return nil, false
	}
	return diff.Compare([]byte(d.Text), []byte(laid)), true
}

// Resolve returns the edit of a fix of a problem in the document. It reports false if the place is not there.
func (d *Document) Resolve(f script.Fix, at func(line, column int) int) (start, end int, fresh string, ok bool) {
	switch f.Where {
	case script.FixTop:
		start = d.top()
		return start, start, f.New + "\n", true
	case script.FixEnd:
		fresh = f.New + "\n"
		if d.Text != "" && d.Text[len(d.Text)-1] != '\n' {
			fresh = "\n" + fresh
		}
		return len(d.Text), len(d.Text), fresh, true
	}
	start = at(f.Pos.Line, f.Pos.Column)
	if f.Old == "" {
		return start, at(f.Pos.Line, f.Pos.Column+f.Pos.Width), f.New, true
	}
	for n := d.lineOf(start); n < min(d.lineOf(start)+few, len(d.lines)); n++ {
		for _, l := range d.lines[n].read().lexemes {
			if from := d.starts[n] + l.TextStart; from >= start && l.Text == f.Old {
				return from, from + len(l.Text), f.New, true
			}
		}
	}
	return 0, 0, "", false
}

// few is the number of lines of a statement that are looked at for a word.
const few = 4

// top returns the start of the first line behind the declarations at the top.
func (d *Document) top() int {
	declared := false
	for i, l := range d.lines {
		c := l.read()
		if len(c.lexemes) == 0 || c.lexemes[0].Kind == script.LexComment {
			continue
		}
		switch first := c.lexemes[0]; {
		case slices.Contains([]string{"frizzel", "title", "param"}, first.Text):
			declared = true
		case declared && slices.Contains([]string{"from", "matching", "about"}, first.Text):
		case declared:
			return d.starts[i]
		default:
			return 0
		}
	}
	if declared {
		return len(d.Text)
	}
	return 0
}
