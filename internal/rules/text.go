package rules

import (
	"path/filepath"
	"slices"

	"frizzel/core/compile"
	"frizzel/core/script"
)

// A CheckedText is the problems of a script that is being written.
type CheckedText struct {
	Problems script.Problems

	script  *script.Script
	options compile.Options
}

// CheckText checks a script that is being written, as check does; problems are those of its parser. open returns the texts
// of other scripts that are being written; those of all others are read from their files.
func CheckText(s *script.Script, problems script.Problems, open func(path string) (string, bool)) (*CheckedText, error) {
	load, options, err := loading(s.Source.Name)
	if err != nil {
		return nil, err
	}
	options.Load = func(name string) ([]byte, error) {
		if text, ok := open(name); ok {
			return []byte(text), nil
		}
		return load(name)
	}
	options.Lenient = true
	_, more := compile.Scripts([]*script.Script{s}, options)
	problems = slices.Concat(problems, more)
	problems.Sort()
	return &CheckedText{problems, s, options}, nil
}

// ReaderFor returns what reads the files that a script of a path refers to, as a run of it may.
func ReaderFor(path string) func(name string) ([]byte, error) {
	load, _, err := loading(path)
	if err != nil {
		return func(string) ([]byte, error) { return nil, err }
	}
	return load
}

func loading(path string) (func(string) ([]byte, error), compile.Options, error) {
	rules := Given{Scripts: []string{filepath.FromSlash(path)}}
	options, err := rules.options()
	if err != nil {
		return nil, options, err
	}
	dirs, err := rules.reach()
	return dirs.load, options, err
}

// HasExamples reports whether the script has any.
func (c *CheckedText) HasExamples() bool {
	return slices.ContainsFunc(c.script.Items, func(n script.Node) bool { _, ok := n.(*script.Example); return ok })
}

// Examples runs the script's examples.
func (c *CheckedText) Examples() ([]*compile.Trial, script.Problems) {
	return compile.Examples(c.script, c.options)
}
