package query

import (
	"encoding/json"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"

	"github.com/theory/jsonpath/spec"

	"frizzel/core/syntax"
	"frizzel/core/tree"
)

// valuesPath is a compiled JSONPath.
type valuesPath struct {
	segments []*spec.Segment
	relative bool
	numbers  columns // that a filter compares with numbers
}

var positioned = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^(.*?)(?: at position (\d+))?$`) })

func compileValues(source string) (*valuesPath, error) {
	p, err := parseValues("$" + source[1:])
	if err != nil {
		reason := strings.NewReplacer(renamed['m'], "match", renamed['s'], "search").Replace(strings.TrimPrefix(err.Error(), "jsonpath: "))
		e := &Error{At: -1, Reason: reason}
		if m := positioned().FindStringSubmatch(reason); m[2] != "" {
			e.Reason = m[1]
			at, _ := strconv.Atoi(m[2])
			e.At = min(max(at-1, 0), len(source)-1)
		}
		if e.Reason == "unexpected eof" {
			e.Reason, e.At = "it ends too early", -1
		}
		if e.Reason == "invalid comparison operator" {
			e.Remedy = `compare with ==, as in [?@.name == "platform-1"]`
		}
		e.Reason = "this is not a JSONPath: " + e.Reason
		return nil, e
	}
	if filterDescends(source) {
		return nil, &Error{-1, "a filter within this path descends twice, which takes too long in a large file", "use .. once in a filter"}
	}
	made := &valuesPath{segments: p.Query().Segments(), relative: source[0] == '@'}
	for _, s := range made.segments {
		for _, m := range comparedWithNumber().FindAllStringSubmatch(s.String(), -1) {
			made.numbers.add(m[1] + m[2])
		}
	}
	return made, nil
}

var comparedWithNumber = sync.OnceValue(func() *regexp.Regexp {
	const column, number, operator = `@(\["(?:[^"\\]|\\.)*"\]|\[\d+\])`, `-?\d[\d.eE+-]*`, ` (?:==|!=|<=|>=|<|>) `
	return regexp.MustCompile(column + operator + number + `|` + number + operator + column)
})

// columns are columns of a table, by their names or by the indexes of their cells.
type columns struct {
	names   map[string]bool
	indexes map[int]bool
}

// add adds the column of a step in brackets.
func (c *columns) add(step string) {
	var name string
	if c.names == nil {
		c.names, c.indexes = map[string]bool{}, map[int]bool{}
	}
	if json.Unmarshal([]byte(step[1:len(step)-1]), &name) == nil {
		c.names[name] = true
	} else if i, err := strconv.Atoi(step[1 : len(step)-1]); err == nil {
		c.indexes[i] = true
	}
}

// has reports whether a cell is in one of the columns.
func (c *columns) has(cell *tree.Node) bool {
	return c.names[cell.Name] || len(c.indexes) > 0 && c.indexes[cell.Index()]
}

// items reports whether a path selects items of lists that have members, as far as its last step tells.
func (p *valuesPath) items(source string) bool {
	if len(p.segments) == 0 {
		return false
	}
	return slices.ContainsFunc(p.segments[len(p.segments)-1].Selectors(), func(s spec.Selector) bool {
		switch s := s.(type) {
		case spec.Index, spec.SliceSelector:
			return true
		case spec.WildcardSelector:
			return strings.HasSuffix(source, "[*]")
		case *spec.FilterSelector:
			test := s.String()
			return strings.Contains(test, "@.") || strings.Contains(test, "@[")
		}
		return false
	})
}

// filterDescends reports whether a path within a filter has .. more than once: the library evaluates such a path for each
// value, and within it again for each value.
func filterDescends(source string) bool {
	depth, descends := 0, 0
	for i := 0; i < len(source); i++ {
		switch c := source[i]; {
		case c == '"' || c == '\'':
			for i++; i < len(source) && source[i] != c; i++ {
				if source[i] == '\\' {
					i++
				}
			}
		case c == '[':
			depth++
		case c == ']':
			if depth--; depth == 0 {
				descends = 0
			}
		case c == '.' && depth > 0 && i+1 < len(source) && source[i+1] == '.':
			if descends++; descends > 1 {
				return true
			}
			i++
		}
	}
	return false
}

// minPlaces and perValue limit the steps to the values that a path passes through in a text, which would be exponentially
// many for some paths. A value counts by the length of its place, which the library makes for each.
const (
	minPlaces = 20_000_000
	perValue  = 80
)

// locate returns the places of what the path selects. It evaluates segment by segment, as the library does, but passes
// through each value only once. size is the number of values of the text.
func (p *valuesPath) locate(current, root any, size int) ([]*spec.LocatedNode, error) {
	at := []*spec.LocatedNode{{Node: root}}
	if p.relative {
		at[0].Node = current
	}
	budget := max(minPlaces, perValue*size)
	doubles := false // some may be among at twice
	for i, s := range p.segments {
		if doubles {
			at = distinct(at)
		}
		if s.IsDescendant() && len(s.Selectors()) > 1 && len(s.Selectors())*size > budget {
			return nil, TooMuchError{}
		}
		var next []*spec.LocatedNode
		steps := 0
		for _, l := range at {
			found := s.SelectLocated(l.Node, root, l.Path)
			for _, f := range found {
				steps += 4 + len(f.Path)
			}
			if steps > budget {
				return nil, TooMuchError{}
			}
			next = append(next, found...)
		}
		at = next
		doubles = (doubles || s.IsDescendant() || len(s.Selectors()) > 1) && i < len(p.segments)-1
	}
	return at, nil
}

// distinct returns places without those that come twice.
func distinct(all []*spec.LocatedNode) (out []*spec.LocatedNode) {
	seen := make(map[string]bool, len(all))
	for _, l := range all {
		if key := l.Path.String(); !seen[key] {
			seen[key] = true
			out = append(out, l)
		}
	}
	return out
}

// maxUnfolded limits the number of values of a document after its aliases are expanded.
const maxUnfolded = 20_000_000

// find adds the selected nodes. The library represents objects as maps, which contain each name once, so if a
// name occurs several times in an object, the query is repeated for each further occurrence.
func (p *valuesPath) find(d *tree.Document, from []*tree.Node, hits *Hits) error {
	u := &unfolding{doubled: 1}
	if d.Syntax == syntax.YAML {
		u.sizes = map[*tree.Node]int{}
	}
	size := 0
	for _, r := range d.Roots {
		if size += u.size(r); size > maxUnfolded {
			return TooLargeError{}
		}
	}
	times := min(u.doubled, maxDoubled)
	if d.Syntax == syntax.CSV { // whose doubled names select the first
		times = 1
	}
	for nth := range times {
		v := &variant{nth: nth}
		if d.Syntax == syntax.CSV || d.Syntax == syntax.BareCSV {
			v.numbers = &p.numbers
		}
		if u.sizes != nil {
			v.made = map[*tree.Node]any{}
		}
		var root any
		var of *tree.Node // of root
		for _, n := range from {
			if of != n.Root() {
				of = n.Root()
				root = v.any(of)
			}
			current := root
			if n.Parent != nil {
				current = v.any(n)
			}
			found, err := p.locate(current, root, size)
			if err != nil {
				return err
			}
			for _, l := range found {
				v.follow(n, l.Path, hits)
			}
		}
	}
	return nil
}

// maxDoubled bounds how often a doubled name is looked at.
const maxDoubled = 16

// An unfolding counts the values of a document after its aliases are expanded, and the maximum number of times
// that an object contains a name.
type unfolding struct {
	sizes   map[*tree.Node]int // nil if there are no aliases
	doubled int
}

// names updates the maximum number of equal names with those of an object.
func (u *unfolding) names(n *tree.Node) {
	const few = 8
	if len(n.Members) <= few {
		for i, m := range n.Members {
			times := 1
			for _, other := range n.Members[:i] {
				if other.Name == m.Name {
					times++
				}
			}
			u.doubled = max(u.doubled, times)
		}
		return
	}
	times := make(map[string]int, len(n.Members))
	for _, m := range n.Members {
		times[m.Name]++
		u.doubled = max(u.doubled, times[m.Name])
	}
}

func (u *unfolding) size(n *tree.Node) int {
	if len(n.Members) == 0 && n.Kind != tree.Alias {
		return 1
	}
	if s, ok := u.sizes[n]; ok {
		return s
	}
	if u.sizes != nil {
		u.sizes[n] = 1 // in itself
	}
	s := 1
	if n.Kind == tree.Alias && n.Target != nil {
		s += u.size(n.Target)
	}
	if n.Kind == tree.Object {
		u.names(n)
	}
	for _, m := range n.Members {
		s = min(s+u.size(m), maxUnfolded+1)
	}
	if u.sizes != nil {
		u.sizes[n] = s
	}
	return s
}

// variant is a document as the library reads it, with the nth of each doubled name, or its last.
type variant struct {
	nth     int
	numbers *columns // whose cells are read as the numbers that they hold; nil for none
	made    map[*tree.Node]any
	members map[*tree.Node]map[string]*tree.Node
}

// any returns a value as the library reads it.
func (v *variant) any(n *tree.Node) any {
	switch n.Kind {
	case tree.Object, tree.Array, tree.Alias:
		if v.made == nil { // no value has several parents
			return v.composed(n)
		}
		if made, ok := v.made[n]; ok {
			return made
		}
		v.made[n] = nil // for one that is part of itself
		made := v.composed(n)
		v.made[n] = made
		return made
	case tree.Number:
		return number(n.Text)
	case tree.Bool:
		return tree.Truth(n.Text)
	case tree.Null:
		return nil
	}
	if v.numbers != nil && n.Parent != nil && v.numbers.has(n) {
		return held(n.Text)
	}
	return n.Text
}

// held returns the decimal number that a cell holds, or else its text.
func held(cell string) any {
	text := strings.TrimSpace(cell)
	if text == "" || strings.Trim(text, "0123456789.eE+-") != "" {
		return cell
	}
	if f, err := strconv.ParseFloat(text, 64); err == nil {
		return f
	}
	return cell
}

func (v *variant) composed(n *tree.Node) any {
	switch n.Kind {
	case tree.Alias:
		if n.Target == nil {
			return nil
		}
		return v.any(n.Target)
	case tree.Array:
		list := make([]any, len(n.Members))
		for i, m := range n.Members {
			list[i] = v.any(m)
		}
		return list
	}
	object := make(map[string]any, len(n.Members))
	if v.made == nil {
		var times map[string]int
		if v.nth > 0 {
			times = make(map[string]int, len(n.Members))
		}
		for _, m := range n.Members {
			if _, ok := object[m.Name]; ok && times[m.Name] >= v.nth { // keep the nth occurrence, or the last one
				continue
			}
			if v.nth > 0 {
				if _, ok := object[m.Name]; ok {
					times[m.Name]++
				}
			}
			object[m.Name] = v.any(m)
		}
		return object
	}
	for _, merge := range n.Members {
		for _, from := range merged(merge) {
			made, _ := v.any(from).(map[string]any)
			for name, value := range made {
				if _, ok := object[name]; !ok {
					object[name] = value
				}
			}
		}
	}
	for name, m := range v.named(n) {
		object[name] = v.any(m)
	}
	return object
}

// merged returns the objects that a merge of YAML puts members of into its parent.
func merged(n *tree.Node) []*tree.Node {
	if n.Name != "<<" {
		return nil
	}
	list := []*tree.Node{n}
	if n.Kind == tree.Array {
		list = n.Members
	}
	var out []*tree.Node
	for _, m := range list {
		for range 100 { // aliases of aliases
			if m == nil || m.Kind != tree.Alias {
				break
			}
			m = m.Target
		}
		if m != nil && m.Kind == tree.Object {
			out = append(out, m)
		}
	}
	return out
}

// member returns the member of an object by its name, or nil.
func (v *variant) member(n *tree.Node, name string) *tree.Node {
	const few = 16
	if len(n.Members) > few {
		return v.named(n)[name]
	}
	var found *tree.Node
	times := 0
	for _, m := range n.Members {
		if m.Name == name && times <= v.nth {
			found = m
			times++
		}
	}
	return found
}

// named returns the members of an object by their names.
func (v *variant) named(n *tree.Node) map[string]*tree.Node {
	if known := v.members[n]; known != nil {
		return known
	}
	out := make(map[string]*tree.Node, len(n.Members))
	times := make(map[string]int, len(n.Members))
	for _, m := range n.Members {
		if times[m.Name] <= v.nth {
			out[m.Name] = m
		}
		times[m.Name]++
	}
	if v.members == nil {
		v.members = map[*tree.Node]map[string]*tree.Node{}
	}
	v.members[n] = out
	return out
}

// number returns a number as the library compares it.
func number(text string) any {
	plain := strings.ReplaceAll(text, "_", "")
	if i, err := strconv.ParseInt(plain, 0, 64); err == nil {
		return i
	}
	if f, err := strconv.ParseFloat(plain, 64); err == nil {
		return f
	}
	return json.Number(text)
}

// follow finds the node that a normalized path leads to.
func (v *variant) follow(n *tree.Node, path spec.NormalizedPath, hits *Hits) {
	for _, step := range path {
		if n.Kind == tree.Alias {
			hits.Shielded = append(hits.Shielded, n)
			return
		}
		switch step := step.(type) {
		case spec.Index:
			if int(step) >= len(n.Members) {
				return
			}
			n = n.Members[step]
		case spec.Name:
			m := v.member(n, string(step))
			if m == nil { // merged in
				if m = v.member(n, "<<"); m != nil {
					hits.Shielded = append(hits.Shielded, m)
				}
				return
			}
			n = m
		}
	}
	hits.Nodes = append(hits.Nodes, n)
}
