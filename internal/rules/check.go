package rules

import (
	"context"
	"io"
	"path/filepath"

	"frizzel/core/compile"
	"frizzel/core/script"
)

// CheckOptions say which scripts are to be checked.
type CheckOptions struct {
	Paths []string // scripts and directories of them; - is Rules.Stdin
	Stdin io.Reader
	Rules Given // for the values of parameters
	// Problems and Trial are called with the problems of each script and the result of each example.
	Problems func(script.Problems) error
	Trial    func(*script.Script, *compile.Trial) error
}

// Checked is the counts of a check.
type Checked struct {
	Scripts, Errors, Warnings, Passed, Failed int
}

// Check reports the problems of scripts, and runs their examples.
func Check(ctx context.Context, o CheckOptions) (*Checked, error) {
	scripts, err := ScriptsIn(o.Paths)
	if err != nil {
		return nil, err
	}
	options, err := o.Rules.options()
	if err != nil {
		return nil, err
	}
	c := &Checked{Scripts: len(scripts)}
	options.Lenient = true
	for _, path := range scripts {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		text, err := ReadScript(path, o.Stdin)
		if err != nil {
			return nil, err
		}
		if err := c.script(&o, options, path, text); err != nil {
			return nil, err
		}
	}
	return c, nil
}

// script checks one script.
func (c *Checked) script(o *CheckOptions, options compile.Options, path, text string) error {
	rules := o.Rules
	rules.Scripts = []string{path}
	dirs, err := rules.reach()
	if err != nil {
		return err
	}
	options.Load = dirs.load
	s, problems := script.Parse(filepath.ToSlash(path), text)
	_, more := compile.Scripts([]*script.Script{s}, options)
	problems = append(problems, more...)
	var trials []*compile.Trial
	if len(problems.Errors()) == 0 {
		trials, more = compile.Examples(s, options)
		problems = append(problems, more...)
	}
	problems.Sort()
	for _, p := range problems {
		if p.Severity == script.Error {
			c.Errors++
		} else {
			c.Warnings++
		}
	}
	if err := o.Problems(problems); err != nil {
		return err
	}
	for _, t := range trials {
		if t.Passed() {
			c.Passed++
		} else {
			c.Failed++
		}
		if err := o.Trial(s, t); err != nil {
			return err
		}
	}
	return nil
}
