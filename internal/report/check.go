package report

import (
	"fmt"
	"strings"

	"frizzel/core/compile"
	"frizzel/core/diff"
	"frizzel/core/script"
)

// Problem returns a problem in full, coloured.
func (s Style) Problem(p script.Problem) string {
	lines := strings.Split(p.String(), "\n")
	severity := p.Severity.String() + ":"
	paint := s.remove
	if p.Severity == script.Warning {
		paint = s.rule
	}
	place, reason, _ := strings.Cut(lines[0], severity)
	lines[0] = s.Strong(place) + paint(severity) + s.Strong(reason)
	if last := len(lines) - 1; last > 0 {
		lines[last] = s.place(lines[last])
	}
	return strings.Join(lines, "\n")
}

// Trial shows the expected and the actual result of a failed example.
func (s Style) Trial(t *compile.Trial) string {
	var b strings.Builder
	for _, f := range t.Failed {
		fmt.Fprintf(&b, "%s\n", f)
	}
	if t.GotPath != t.WantPath {
		fmt.Fprintf(&b, "the name %s should become %s, and the rules make it %s\n", Path(t.Path), Path(t.WantPath), Path(t.GotPath))
	}
	if t.Got == t.Want {
		return b.String()
	}
	b.WriteString(s.head("--- wanted") + "\n" + s.head("+++ given by the rules") + "\n")
	// Both get a final line ending, as margin blocks have none to show.
	want, got := []byte(t.Want+"\n"), []byte(t.Got+"\n")
	p := Printer{Style: s}
	for _, h := range diff.Hunks(want, diff.Compare(want, got), 3) {
		b.WriteString(s.place(h.Header()) + "\n")
		for _, l := range h.Lines {
			p.line(&b, l, false)
		}
	}
	return b.String()
}
