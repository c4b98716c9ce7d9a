package program

import (
	"frizzel/core/pattern"
	"frizzel/core/script"
)

// CompilePattern compiles a pattern of the rule language that stands alone; name is
// what messages call it.
func CompilePattern(name, text string) (*pattern.Pattern, script.Problems) {
	const before = "forbid " // the shortest statement around a pattern
	s, problems := script.Parse(name, before+text)
	if len(problems) == 0 {
		var p *Program
		if p, problems = Compile([]*script.Script{s}, Options{}); p != nil {
			for _, r := range p.rules {
				for _, a := range r.asserts {
					return a.pattern, nil
				}
			}
		}
	}
	return nil, problems.Errors()
}
