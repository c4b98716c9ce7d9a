package compile

import (
	"time"

	"frizzel/core/program"
	"frizzel/core/script"
	"frizzel/core/syntax"
)

// Options are the options of a compilation.
type Options struct {
	// Values are the parameters given, by name. A name that no parameter has is
	// an error.
	Values map[string]string
	// Shared are values, by name, that serve many scripts: a name that no parameter
	// has is passed over, with a warning if it is nearly one. Values win over them.
	Shared map[string]string
	// Env looks up an environment variable; nil finds none.
	Env func(name string) (value string, ok bool)
	// Now is the instant that {=today} is taken from.
	Now time.Time
	// Load reads a script or a table that the script names, by its path relative
	// to the script's own name; nil finds none.
	Load func(path string) ([]byte, error)
	// Mark, if not nil, is applied to the value of a parameter wherever a placeholder writes it, and not where it is
	// looked for.
	Mark func(param, value string) string
	// Lenient gives a parameter without a value its own name, so that a script
	// can be checked without one.
	Lenient bool
	// Row is the 1-based row that Values were read from, or 0 if they are not from a row.
	Row int
	// AllowUnreadable lets texts be written in which something is never closed.
	AllowUnreadable bool
	// AllowBroken permits writing a text that no longer parses in its file's syntax.
	AllowBroken bool
	// Syntax is the syntax of files whose name does not imply one and for which no script declares one.
	Syntax syntax.Syntax
}

// param declares a parameter, with its value.
func (c *compiler) param(p *script.Param) {
	if _, ok := c.values[p.Name]; ok {
		c.errorf(p.Pos, "", "the name %q is taken by another parameter", p.Name)
		return
	}
	secret := false // a value from the environment, which no message shows
	param := program.Param{Name: p.Name, About: c.fixed(p.About)}
	if v, ok := c.options.Values[p.Name]; ok {
		param.Value, param.Given = v, true
	} else if v, ok := c.options.Shared[p.Name]; ok {
		param.Value, param.Given = v, true
	} else if v, ok := c.fromEnv(p.Env); ok {
		param.Value, param.Given, secret = v, true, true
	} else if p.Default != nil {
		param.Value, param.Given = c.fixed(p.Default), true
	}
	if p.Matching != nil {
		if m := c.pattern(p.Matching, within); m != nil && param.Given && !m.MatchesWhole(param.Value) && secret {
			c.errorf(p.Pos, "", "the value of the environment variable %s does not match %s", c.fixed(p.Env), describe(p.Matching))
		} else if m != nil && param.Given && !m.MatchesWhole(param.Value) {
			c.errorf(p.Pos, "", "the parameter %s is %q, which does not match %s", p.Name, param.Value, describe(p.Matching))
		}
	}
	if !param.Given {
		if !c.options.Lenient {
			c.errorf(p.Pos, "give it with --param "+p.Name+"=VALUE", "the parameter %s has no value", p.Name)
		}
		param.Value = p.Name
	}
	c.values[p.Name] = param.Value
	c.program.Params = append(c.program.Params, param)
}

func (c *compiler) fromEnv(name *script.Text) (string, bool) {
	if name == nil || c.options.Env == nil {
		return "", false
	}
	return c.options.Env(c.fixed(name))
}
