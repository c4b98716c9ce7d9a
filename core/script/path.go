package script

import (
	"regexp"
	"sync"
)

var shorthand = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`'(?:[^'\\]|\\.)*'|"(?:[^"\\]|\\.)*"|(\.\.?)([\pL_][\pL\pN_]*(?:-[\pL\pN_]+)+)`)
})

// StandardPath returns a JSONPath with each name behind a dot that has hyphens in brackets, as RFC 9535 wants it. Other
// paths stay as they are.
func StandardPath(path string) string {
	if path == "" || path[0] != '$' && path[0] != '@' {
		return path
	}
	return shorthand().ReplaceAllStringFunc(path, func(s string) string {
		m := shorthand().FindStringSubmatch(s)
		if m[2] == "" {
			return s // a string
		}
		dots := ""
		if m[1] == ".." {
			dots = ".."
		}
		return dots + `["` + m[2] + `"]`
	})
}

// pathChunks is textChunks for a path.
func pathChunks(words string, t *Text) []chunk {
	standard := *t
	if standard.Raw = StandardPath(t.Raw); standard.Raw != t.Raw {
		standard.Quote = 0
	}
	return textChunks(words, &standard)
}
