package learn

import (
	"regexp"
	"strings"
	"sync"

	"frizzel/core/lines"
)

// contents returns the lines of a text without their endings.
func contents(text []byte) (all []string) {
	for at := 0; at < len(text); {
		next := lines.Next(text, at, len(text))
		all = append(all, string(lines.Content(text[at:next])))
		at = next
	}
	return all
}

var (
	header  = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^\s*\[+([^\[\]]+)\]+\s*$`) })
	heading = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^#{1,6} +(.*?)\s*$`) })
	keyed   = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^(\s*)([\pL\pN_.\-/"']+)(\s*[=:]\s*|[ \t]+)`) })
)

// keyOf returns the key of a line, with what separates it from its value; "" if it has none.
func keyOf(line string) string {
	m := keyed().FindStringSubmatch(line)
	if m == nil {
		return ""
	}
	return m[2] + m[3]
}

// places returns the addresses that narrow a statement to where a line is, the widest first: none, its section, its block.
func places(text []byte, at int) []string {
	all := []string{""}
	indent, section, block := -1, "", ""
	const farthest = 2000 // lines up
	for up, n := at, 0; up > 0 && n < farthest && (section == "" || block == ""); n++ {
		start := lines.Previous(text, 0, up)
		line := string(lines.Content(text[start:up]))
		up = start
		if m := header().FindStringSubmatch(line); m != nil && section == "" {
			section = m[1]
			break
		}
		if m := heading().FindStringSubmatch(line); m != nil && section == "" {
			section = m[1]
		}
		if strings.TrimSpace(line) == "" {
			continue
		}
		depth := len(line) - len(strings.TrimLeft(line, " \t"))
		if indent < 0 {
			here := string(text[at:lines.Next(text, at, len(text))])
			indent = len(here) - len(strings.TrimLeft(here, " \t"))
		}
		if depth < indent && block == "" {
			block = line
		}
	}
	if q := quoted(section); section != "" && q != "" {
		all = append(all, "in section "+q+" ")
	}
	if q := pattern(block); block != "" && q != "" {
		all = append(all, "in block with "+q+" ")
	}
	return all
}

// pattern returns a pattern that matches exactly the lines with a content.
func pattern(line string) string {
	q := quoted("^" + regexp.QuoteMeta(line) + "$")
	if q == "" {
		return ""
	}
	return "regex " + q
}

// patterns returns the patterns for lines with a content, the plainest first.
func patterns(line string) (all []string) {
	trimmed := strings.TrimSpace(line)
	if len(trimmed) > 3 {
		if q := quoted(trimmed); q != "" {
			all = append(all, "text "+q)
		}
	}
	if p := pattern(line); p != "" {
		all = append(all, p)
	}
	return all
}
