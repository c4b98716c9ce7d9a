package program

import (
	"slices"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"frizzel/core/syntax"
	"frizzel/core/tree"
)

// Program is a compiled script with all scripts it uses. Whoever has one only reads it.
type Program struct {
	Title  string
	Rules  []*Rule // a rule's Index is its place here
	Params []Param
	// Sequential says that texts must be run one after the other, in path order, since
	// a rule counts through all of them.
	Sequential bool
	// Wide says that something is looked for that is not ASCII.
	Wide bool
	// AllowUnreadable lets a text be written in which something is opened and never closed.
	AllowUnreadable bool
	// AllowBroken lets a text be written that is not of its file's syntax any more.
	AllowBroken bool
	Statements  int      // how many statements count their changes
	Tables      []*Table // that statements replace from
	Addresses   []string // the places of all addresses in their scripts, by Address.Index
}

// Rule is a compiled rule; a statement outside any rule is one by itself.
type Rule struct {
	Index     int
	Name      string // "" for a statement outside any rule
	Label     string // the name, or the place of a statement without one
	About     string
	Selectors []Selector    // all of which must accept a file
	Encoding  string        // of the files read, "" for none said
	Syntax    syntax.Syntax // of files whose name does not tell
	When      []Condition
	Body      []Action
	Expects   []Expectation
	Asserts   []*Assertion
}

// Param is a parameter and the value it was given.
type Param struct {
	Name, About string
	Value       string
	Given       bool
}

// File says what file a text is, for globs, sections and placeholders.
type File struct {
	Path string // as selected, for {=file}
	// Rel is the path from the selected directory, with slashes, that globs with a
	// slash are matched against; "" selects the text for every rule.
	Rel string
}

func (f File) name() string {
	return f.Path[strings.LastIndexByte(f.Path, '/')+1:]
}

// Finder returns what finds the values of a file's texts.
func (p *Program) Finder(f File) *tree.Finder {
	return &tree.Finder{Syntax: syntaxFor(f, p.Syntax(f))}
}

// Selects reports whether any rule or assertion applies to the file.
func (p *Program) Selects(f File) bool {
	for _, r := range p.Rules {
		if r.selects(f) {
			return true
		}
	}
	return len(p.Rules) == 0
}

// Encoding returns the encoding that the script says the file is in, or "".
func (p *Program) Encoding(f File) string {
	for _, r := range p.Rules {
		if r.Encoding != "" && r.selects(f) {
			return r.Encoding
		}
	}
	return ""
}

func (r *Rule) selects(f File) bool {
	for _, filter := range r.Selectors {
		if !filter.accepts(f) {
			return false
		}
	}
	return true
}

// Selector is the `files` and `not files` of a script or a rule.
type Selector struct {
	In, Out []string // globs; no In accepts all
}

func (f Selector) accepts(file File) bool {
	if file.Rel == "" {
		return true
	}
	return (len(f.In) == 0 || MatchesAny(f.In, file.Rel)) && !MatchesAny(f.Out, file.Rel)
}

// MatchesAny reports whether a path with slashes matches one of the globs: as a
// whole where the glob has a slash, else by its last part.
func MatchesAny(globs []string, rel string) bool {
	base := rel[strings.LastIndexByte(rel, '/')+1:]
	for _, g := range globs {
		name := base
		if strings.Contains(g, "/") {
			name = rel
		}
		if ok, _ := doublestar.Match(g, name); ok {
			return true
		}
	}
	return false
}

// ValidGlob reports whether g is a valid glob.
func ValidGlob(g string) bool { return g != "" && doublestar.ValidatePattern(g) }

// Only returns the program with one rule alone, by its index, whatever other rules
// changed.
func (p *Program) Only(index int) *Program {
	one := *p
	one.Rules = make([]*Rule, len(p.Rules))
	for i, r := range p.Rules {
		one.Rules[i] = &Rule{Index: i, Name: r.Name, Label: r.Label, About: r.About}
	}
	alone := *p.Rules[index]
	alone.When = slices.DeleteFunc(slices.Clone(alone.When), func(w Condition) bool { return w.Pattern == nil })
	one.Rules[index] = &alone
	return &one
}
