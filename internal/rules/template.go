package rules

import (
	"time"

	"frizzel/core/compile"
	"frizzel/core/program"
)

// Template compiles a text whose placeholders are filled in for each match; name is what
// messages call it.
func (c *Compiled) Template(name, text string) (*program.Template, error) {
	t, problems := compile.Template(c.Program, name, text, compile.Options{Now: time.Now()})
	if len(problems) > 0 {
		return nil, problems
	}
	return t, nil
}
