package program

import (
	"path"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"frizzel/core/script"
)

// Program is a compiled script with all scripts it uses.
type Program struct {
	Title      string
	Rules      []Rule
	Params     []Param
	rules      []*rule // parallel to Rules
	statements int     // how many statements count their changes
	tables     []*table
	addresses  []script.Pos
	sources    []*script.Source // of addresses
	sequential bool
}

// Rule is what is known of a rule from outside.
type Rule struct {
	Name  string // "" for a statement outside any rule
	Label string // the name, or the place of a statement without one
	About string
}

// Param is a parameter and the value it was given.
type Param struct {
	Name, About string
	Value       string
	Given       bool
}

// Sequential reports whether texts must be run one after the other, in path order,
// since a rule counts through all of them.
func (p *Program) Sequential() bool { return p.sequential }

// File says what file a text is, for globs, sections and placeholders.
type File struct {
	Path string // as selected, for {=file}
	// Rel is the path from the selected folder, with slashes, that globs with a
	// slash are matched against; "" selects the text for every rule.
	Rel string
}

func (f File) name() string {
	return f.Path[strings.LastIndexByte(f.Path, '/')+1:]
}

// markdown reports whether sections of the file are headings.
func (f File) markdown() bool {
	switch strings.ToLower(path.Ext(f.name())) {
	case ".md", ".markdown":
		return true
	}
	return false
}

// Selects reports whether any rule or assertion applies to the file.
func (p *Program) Selects(f File) bool {
	for _, r := range p.rules {
		if r.selects(f) {
			return true
		}
	}
	return len(p.rules) == 0
}

// Encoding returns the encoding that the script says the file is in, or "".
func (p *Program) Encoding(f File) string {
	for _, r := range p.rules {
		if r.encoding != "" && r.selects(f) {
			return r.encoding
		}
	}
	return ""
}

// rule is a compiled rule.
type rule struct {
	index    int
	filters  []filter
	encoding string
	when     []condition
	body     []action
	expects  []expectation
	asserts  []*assertion
}

func (r *rule) selects(f File) bool {
	for _, filter := range r.filters {
		if !filter.accepts(f) {
			return false
		}
	}
	return true
}

// filter is the `files` and `not files` of a script or a rule.
type filter struct {
	in, out []string
}

func (f filter) accepts(file File) bool {
	if file.Rel == "" {
		return true
	}
	return (len(f.in) == 0 || MatchesAny(f.in, file.Rel)) && !MatchesAny(f.out, file.Rel)
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

// ValidGlob reports whether g is a well-formed glob.
func ValidGlob(g string) bool { return g != "" && doublestar.ValidatePattern(g) }
