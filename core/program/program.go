package program

import (
	"slices"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"frizzel/core/script"
	"frizzel/core/syntax"
	"frizzel/core/tree"
)

// A Program is a compiled script with all scripts that it uses. It is immutable.
type Program struct {
	Title  string
	Rules  []*Rule // indexed by Rule.Index
	Params []Param
	// Sequential means that texts must be run one after another in path order, because a rule counts over
	// all of them.
	Sequential bool
	// NumbersNames means that names must be run one after another in the order of the old paths' bytes, because a rule
	// counts them.
	NumbersNames bool
	// Wide means that some pattern is not ASCII.
	Wide bool
	// AllowUnreadable permits writing a text with brackets or tags that are never closed.
	AllowUnreadable bool
	// AllowBroken permits writing a text that no longer parses in its file's syntax.
	AllowBroken bool
	Rare        Rare     // texts that patterns look for
	Statements  int      // number of statements
	Looks       []Look   // indexed by statement
	Tables      []*Table // tables of `replace each`
	Addresses   []string // the script positions of all addresses, indexed by Address.Index
}

// A Look is what a statement looks for.
type Look struct {
	Rule  int    // index in Program.Rules
	Shown string // the pattern, for messages; "" for a statement that acts without a match
}

// A Rule is a compiled rule. A statement outside rules is a rule of its own.
type Rule struct {
	Index     int
	Name      string // "" for a statement outside any rule
	Label     string // the name, or else the script position
	About     string
	Selectors []Selector    // a file must pass all of them
	Encoding  string        // declared encoding of the files, or ""
	Syntax    syntax.Syntax // of files whose name implies none
	When      []Condition
	Body      []Action                  // on the content
	Names     [script.Subjects][]Action // on the other subjects
	Expects   []Expectation
	Asserts   []*Assertion
}

// A Param is a parameter and its value.
type Param struct {
	Name, About string
	Value       string
	Given       bool
}

// A File identifies the file of a text for globs, sections and placeholders.
type File struct {
	Path string // as the user selected it, for {=file}
	// Rel is the path from the selected directory, with slashes. Globs that contain a slash are matched
	// against it. If it is "", every rule applies.
	Rel string
}

func (f File) name() string {
	return f.Path[strings.LastIndexByte(f.Path, '/')+1:]
}

// Finder returns a finder of values in the file's texts.
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

// Encoding returns the encoding that the script declares for the file, or "".
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

// A Selector is the `files` and `not files` of a script or a rule.
type Selector struct {
	In, Out []string // globs; an empty In accepts all files
}

func (f Selector) accepts(file File) bool {
	if file.Rel == "" {
		return true
	}
	return (len(f.In) == 0 || MatchesAny(f.In, file.Rel)) && !MatchesAny(f.Out, file.Rel)
}

// MatchesAny reports whether a path with slashes matches one of the globs. A glob with a slash is matched
// against the whole path, another one against the base name.
func MatchesAny(globs []string, rel string) bool {
	base := rel[strings.LastIndexByte(rel, '/')+1:]
	for _, g := range globs {
		g = strings.TrimPrefix(g, "./")
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

// Only returns the program with only the rule of an index, without its conditions on other rules.
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
