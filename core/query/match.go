package query

import (
	"regexp"
	"regexp/syntax"
	"sync"
	"sync/atomic"

	"github.com/theory/jsonpath"
	"github.com/theory/jsonpath/registry"
	"github.com/theory/jsonpath/spec"

	"frizzel/core/script"
)

// The library's match() and search() compile their expression anew for each value. Ours, under names
// as long as theirs, keep it.
var (
	matchCall = sync.OnceValue(func() *regexp.Regexp {
		return regexp.MustCompile(`'(?:[^'\\]|\\.)*'|"(?:[^"\\]|\\.)*"|\b(?:match|search)\s*\(`)
	})
	renamed    = map[byte]string{'m': "matc_", 's': "searc_"}
	expression sync.Map // from source to *regexp.Regexp; nil for an invalid expression
	kept       atomic.Int32
)

// maxCompiled limits the cached expressions, because values of a file may be expressions.
const maxCompiled = 1000

// parseValues parses a JSONPath, in which a name behind a dot may have hyphens.
func parseValues(source string) (*jsonpath.Path, error) {
	source = script.StandardPath(source)
	source = matchCall().ReplaceAllStringFunc(source, func(s string) string {
		if name, ok := renamed[s[0]]; ok {
			return name + s[len(name):]
		}
		return s // a string
	})
	return jsonpath.NewParser(jsonpath.WithRegistry(withMatches())).Parse(source)
}

var withMatches = sync.OnceValue(func() *registry.Registry {
	r := registry.New()
	for name, anchors := range map[string][2]string{renamed['m']: {`\A(?:`, `)\z`}, renamed['s']: {}} {
		theirs := r.Get(map[string]string{renamed['m']: "match", renamed['s']: "search"}[name])
		if err := r.Register(name, spec.FuncLogical, theirs.Validate, matches(anchors)); err != nil {
			panic(err)
		}
	}
	return r
})

// matches returns what reports whether its first argument matches the second one, an I-Regexp (RFC
// 9485), between anchors.
func matches(anchors [2]string) spec.Evaluator {
	return func(args []spec.PathValue) spec.PathValue {
		text, isText := valueOf(args[0])
		source, isSource := valueOf(args[1])
		if !isText || !isSource {
			return spec.LogicalFalse
		}
		re := compiled(anchors[0] + source + anchors[1])
		return spec.Logical(re != nil && re.MatchString(text))
	}
}

func valueOf(v spec.PathValue) (string, bool) {
	of := spec.ValueFrom(v)
	if of == nil {
		return "", false
	}
	s, ok := of.Value().(string)
	return s, ok
}

// compiled returns an expression of RFC 9485, in which a dot matches neither line break; nil for what
// is none.
func compiled(source string) *regexp.Regexp {
	if known, ok := expression.Load(source); ok {
		return known.(*regexp.Regexp)
	}
	var re *regexp.Regexp
	if tree, err := syntax.Parse(source, syntax.Perl|syntax.DotNL); err == nil {
		dots(tree)
		re, _ = regexp.Compile(tree.String())
	}
	if kept.Add(1) <= maxCompiled {
		expression.Store(source, re)
	}
	return re
}

// dots makes each dot a class without line breaks.
func dots(tree *syntax.Regexp) {
	if tree.Op == syntax.OpAnyChar {
		tree.Op, tree.Rune = syntax.OpCharClass, []rune{0, '\n' - 1, '\n' + 1, '\r' - 1, '\r' + 1, 0x10ffff}
	}
	for _, sub := range tree.Sub {
		dots(sub)
	}
}
