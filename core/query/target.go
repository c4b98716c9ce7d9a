package query

import (
	"encoding/json"
	"regexp"
	"strings"
	"sync"

	"github.com/theory/jsonpath/spec"

	"frizzel/core/syntax"
	"frizzel/core/tree"
)

// A Target is a path that names exactly one value, whether it exists or not.
type Target struct {
	Family   syntax.Family
	Relative bool
	Steps    []tree.Step
}

// CompileTarget compiles a path of names, indexes and filters of equalities, or in XML of child steps, attributes,
// [@name="…"] and [child="…"]. Only a list may be the whole file. The error is an *Error.
func CompileTarget(source string, list bool) (*Target, error) {
	p, err := Compile(source)
	if err != nil {
		return nil, err
	}
	place := &Target{Family: p.Family, Relative: p.Relative}
	if p.Family == syntax.Values {
		place.Steps, err = valueSteps(source)
	} else {
		place.Steps, err = markupSteps(source)
	}
	if err == nil && len(place.Steps) == 0 && !place.Relative && !list {
		err = &Error{-1, "this path names the whole file", "name a member of it"}
	}
	return place, err
}

func valueSteps(source string) (steps []tree.Step, err error) {
	p, err := parseValues("$" + source[1:])
	if err != nil {
		return nil, &Error{-1, err.Error(), ""}
	}
	many := &Error{-1, "this path may select several values",
		"a place is names, indexes and what an item holds, as in $.boards[?@.name == \"oak\"].feed; at selects several"}
	segments := p.Query().Segments()
	for i, s := range segments {
		if s.IsDescendant() || len(s.Selectors()) != 1 {
			return nil, many
		}
		switch sel := s.Selectors()[0].(type) {
		case spec.Name:
			steps = append(steps, tree.Step{Name: string(sel)})
		case spec.Index:
			if sel < 0 {
				return nil, &Error{-1, "an index from the end names no place", "count from 0"}
			}
			steps = append(steps, tree.Step{Index: int(sel), Numbered: true})
		case *spec.FilterSelector:
			tests, ok := equalities(sel)
			if !ok {
				return nil, &Error{-1, "an item is found by equalities with texts, numbers, true, false or null, joined by &&", "such as [?@.name == \"oak\" && @.port == 8415]"}
			}
			steps = append(steps, tree.Step{Item: true, With: tests})
		case spec.WildcardSelector:
			if i > 0 || len(segments) != 2 {
				return nil, many
			}
			steps = append(steps, tree.Step{Every: true}) // of a table
		default:
			return nil, many
		}
	}
	return steps, nil
}

var equality = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`^(@(?:\["(?:[^"\\]|\\.)*"\])+) == (.+)$`)
})

// equalities returns what a filter compares. It reports false if that is more than equalities of members with values.
func equalities(f *spec.FilterSelector) (tests []tree.Test, ok bool) {
	if len(f.LogicalOr) != 1 {
		return nil, false
	}
	for _, expr := range f.LogicalOr[0] {
		comparison, ok := expr.(*spec.CompExpr)
		if !ok {
			return nil, false
		}
		text := comparison.String()
		if left, right, found := strings.Cut(text, " == "); found && strings.HasPrefix(right, "@") {
			text = right + " == " + left
		}
		m := equality().FindStringSubmatch(text)
		if m == nil {
			return nil, false
		}
		steps, err := valueSteps(m[1])
		if err != nil {
			return nil, false
		}
		t := tree.Test{Steps: steps, Text: m[2]}
		switch m[2][0] {
		case '"':
			t.Kind = tree.String
			if err := json.Unmarshal([]byte(m[2]), &t.Text); err != nil {
				return nil, false
			}
		case 't', 'f':
			t.Kind = tree.Bool
		case 'n':
			t.Kind = tree.Null
		default:
			t.Kind = tree.Number
		}
		tests = append(tests, t)
	}
	return tests, true
}

var (
	elementStep   = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^/?([\pL_][\pL\pN_.:-]*)`) })
	attributeStep = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^/?@([\pL_][\pL\pN_.:-]*)$`) })
	withMember    = sync.OnceValue(func() *regexp.Regexp {
		return regexp.MustCompile(`^\[\s*(@?)([\pL_][\pL\pN_.:-]*)\s*=\s*(?:"([^"]*)"|'([^']*)')\s*(\]|and\s)`)
	})
)

func markupSteps(source string) (steps []tree.Step, err error) {
	rest := source
	for rest != "" && rest != "." {
		if m := attributeStep().FindStringSubmatch(rest); m != nil {
			return append(steps, tree.Step{Name: m[1], Attribute: true}), nil
		}
		m := elementStep().FindStringSubmatch(rest)
		if m == nil || strings.Contains(m[1], "::") {
			return nil, &Error{-1, "this path may select several values", `a place is child steps, attributes and [@name="…"] or [child="…"], as in /signage/sign[@host="depot-3"]/@feed; at selects several`}
		}
		s := tree.Step{Name: m[1]}
		rest = rest[len(m[0]):]
		for {
			w := withMember().FindStringSubmatch(rest)
			if w == nil {
				break
			}
			s.With = append(s.With, tree.Test{Steps: []tree.Step{{Name: w[2], Attribute: w[1] != ""}}, Text: w[3] + w[4], Kind: tree.String})
			rest = rest[len(w[0]):]
			if w[5] != "]" {
				rest = "[" + rest
			}
		}
		steps = append(steps, s)
	}
	return steps, nil
}
