package script

import (
	"path"
	"regexp"
	"sync"
)

var shorthand = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`'(?:[^'\\]|\\.)*'|"(?:[^"\\]|\\.)*"|(\.\.?)([\pL_][\pL\pN_]*(?:-[\pL\pN_]+)+)`)
})

// StandardPath returns a JSONPath with each name behind a dot that has hyphens in brackets, as RFC 9535 wants it. Other
// paths stay as they are.
func StandardPath(jsonPath string) string {
	if jsonPath == "" || jsonPath[0] != '$' && jsonPath[0] != '@' {
		return jsonPath
	}
	return shorthand().ReplaceAllStringFunc(jsonPath, func(s string) string {
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

// Beside returns the path that a script names by to: from the directory of the script's own name.
func Beside(name, to string) string {
	if path.IsAbs(to) {
		return path.Clean(to)
	}
	return path.Join(path.Dir(name), to)
}
