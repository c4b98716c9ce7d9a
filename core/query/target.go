package query

import (
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

// CompileTarget compiles a path of names and indexes, or in XML of child steps, attributes and
// [@name="…"]. The error is an *Error.
func CompileTarget(source string) (*Target, error) {
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
	if err == nil && len(place.Steps) == 0 && !place.Relative {
		err = &Error{-1, "this path names the whole file", "name a member of it"}
	}
	return place, err
}

func valueSteps(source string) (steps []tree.Step, err error) {
	p, err := parseValues("$" + source[1:])
	if err != nil {
		return nil, &Error{-1, err.Error(), ""}
	}
	many := &Error{-1, "this path may select several values", "a place is names and indexes, as in $.boards[0].feed; at selects several"}
	for _, s := range p.Query().Segments() {
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
		default:
			return nil, many
		}
	}
	return steps, nil
}

var (
	elementStep   = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^/?([\pL_][\pL\pN_.:-]*)`) })
	attributeStep = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^/?@([\pL_][\pL\pN_.:-]*)$`) })
	withAttribute = sync.OnceValue(func() *regexp.Regexp {
		return regexp.MustCompile(`^\[\s*@([\pL_][\pL\pN_.:-]*)\s*=\s*(?:"([^"]*)"|'([^']*)')\s*\]`)
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
			return nil, &Error{-1, "this path may select several values", `a place is child steps, attributes and [@name="…"], as in /signage/sign[@host="depot-3"]/@feed; at selects several`}
		}
		s := tree.Step{Name: m[1]}
		rest = rest[len(m[0]):]
		for {
			w := withAttribute().FindStringSubmatch(rest)
			if w == nil {
				break
			}
			s.With = append(s.With, [2]string{w[1], w[2] + w[3]})
			rest = rest[len(w[0]):]
		}
		steps = append(steps, s)
	}
	return steps, nil
}
