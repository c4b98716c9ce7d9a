// Package rules reads the scripts and values that a command line names, and compiles them with the change that it gives: [Given]
// says which they are, and [Compile] makes a [Compiled]. A [Bundle] is rules that another host compiles, and [Check] reports
// the problems of scripts.
package rules

import (
	"io"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"frizzel/core/compile"
	"frizzel/core/program"
	"frizzel/core/script"
	"frizzel/core/syntax"
	"frizzel/internal/disk"
	"frizzel/internal/exit"
	"frizzel/internal/oneoff"
	"frizzel/internal/values"
)

// How long files may be that a person wrote for the program, in bytes.
const (
	MaxScript = 16 << 20
	MaxTable  = 256 << 20
	maxValues = 1 << 20
)

// Given says which rules are to run.
type Given struct {
	Scripts    []string // paths; - is Stdin
	Stdin      io.Reader
	OneOff     *script.Script // without a file; nil for none
	Values     map[string]string
	ValueFiles []string // for many scripts; Values win over them
	// AllowUnreadable lets files be written in which something is never closed.
	AllowUnreadable bool
	// AllowBroken permits writing a file that no longer parses in its syntax.
	AllowBroken bool
	AllowRead   []string      // further directories below which scripts may read files
	Syntax      syntax.Syntax // of files whose names imply none, and for which no script declares one
}

// Compiled is compiled rules and their sources.
type Compiled struct {
	Program *program.Program
	Labels  []string          // of rules, by index; "" for those of a one-off change
	Sources map[string]string // the texts of scripts and tables, by name
	Files   []string          // the paths of those that are files, and of files of values: what the run is given
	Values  map[string]string // of parameters, as they were given
	// Warnings are about allowed but probably unintended forms.
	Warnings script.Problems
}

// Compile reads scripts and compiles them with the one-off change. The error is a
// wrong command line or script.Problems.
func Compile(r Given) (*Compiled, error) {
	read, err := r.Parse()
	if err != nil {
		return nil, err
	}
	return read.Compile(nil)
}

// Parsed are rules that are read, each file once, and can be compiled with one set of
// values after another.
type Parsed struct {
	Scripts  []*script.Script
	Problems script.Problems
	Options  compile.Options
	sources  map[string]string
	reach    reach
	named    map[string][]byte // contents of files that the scripts refer to, by path
	values   []string          // paths of files of values
}

func (r Given) Parse() (*Parsed, error) {
	c := &Parsed{sources: map[string]string{}, named: map[string][]byte{}, values: r.ValueFiles}
	parse := func(name, text string) {
		c.sources[name] = text
		s, ps := script.Parse(name, text)
		c.Scripts = append(c.Scripts, s)
		c.Problems = append(c.Problems, ps...)
	}
	for _, path := range r.Scripts {
		text, err := ReadScript(path, r.Stdin)
		if err != nil {
			return nil, err
		}
		parse(filepath.ToSlash(path), text)
	}
	if r.OneOff != nil {
		c.sources[oneoff.Name] = script.Format(r.OneOff)
		c.Scripts = append(c.Scripts, r.OneOff)
	}
	var err error
	if c.reach, err = r.reach(); err != nil {
		return nil, err
	}
	c.Options, err = r.options()
	c.Options.Load = c.Load
	return c, err
}

// Compile compiles the rules with further values, which win over those of files.
func (r *Parsed) Compile(further map[string]string) (*Compiled, error) {
	options := r.Options
	options.Shared = maps.Clone(options.Shared)
	maps.Copy(options.Shared, further)
	p, more := compile.Scripts(r.Scripts, options)
	problems := slices.Concat(r.Problems, more)
	problems.Sort()
	if errs := problems.Errors(); len(errs) > 0 {
		return nil, errs
	}
	c := &Compiled{Program: p, Labels: labels(p), Sources: r.sources, Files: slices.Clone(r.values), Values: map[string]string{}, Warnings: problems}
	for name := range r.sources {
		if name != oneoff.Name && name != "-" {
			c.Files = append(c.Files, filepath.FromSlash(name))
		}
	}
	for _, param := range p.Params {
		if v, ok := options.Values[param.Name]; ok {
			c.Values[param.Name] = v
		} else if v, ok := options.Shared[param.Name]; ok {
			c.Values[param.Name] = v
		}
	}
	return c, nil
}

// Load reads a file that a script refers to.
func (r *Parsed) Load(path string) ([]byte, error) {
	if text, ok := r.named[path]; ok {
		return text, nil
	}
	text, err := r.reach.load(path)
	if err == nil {
		r.named[path], r.sources[path] = text, string(text)
	}
	return text, err
}

// labels lists what people call the rules; a one-off change needs no name.
func labels(p *program.Program) []string {
	names := make([]string, len(p.Rules))
	for i, r := range p.Rules {
		if !strings.HasPrefix(r.Label, oneoff.Name+":") {
			names[i] = r.Label
		}
	}
	return names
}

// ReadScript reads a script's text; - is standard input.
func ReadScript(path string, stdin io.Reader) (string, error) {
	if path == "-" {
		text, err := disk.ReadStream(stdin, "standard input", MaxScript)
		return string(text), err
	}
	text, err := disk.ReadBounded(path, MaxScript)
	if err != nil {
		return "", exit.NotRead("script", path, err)
	}
	return string(text), nil
}

// options returns what scripts are compiled with, the parameters' values among it.
func (r *Given) options() (compile.Options, error) {
	o := compile.Options{
		Values: r.Values, Shared: map[string]string{}, Env: os.LookupEnv, Now: time.Now(),
		AllowUnreadable: r.AllowUnreadable, AllowBroken: r.AllowBroken, Syntax: r.Syntax,
	}
	for _, path := range r.ValueFiles {
		text, err := disk.ReadBounded(path, maxValues)
		if err != nil {
			return o, exit.NotRead("file of values", path, err)
		}
		read, err := values.Read(path, text)
		if err != nil {
			return o, exit.Wrongf("%s: %w", path, err)
		}
		maps.Copy(o.Shared, read)
	}
	return o, nil
}

// ScriptsIn returns the scripts of paths in path order. A directory means all scripts in it. Without paths it
// is the current directory.
func ScriptsIn(paths []string) ([]string, error) {
	if len(paths) == 0 {
		paths = []string{"."}
	}
	var scripts []string
	for _, p := range paths {
		if p == "-" {
			scripts = append(scripts, p)
			continue
		}
		info, err := os.Stat(p)
		if err != nil {
			return nil, exit.NotRead("script", p, err)
		}
		if !info.IsDir() {
			scripts = append(scripts, p)
			continue
		}
		err = filepath.WalkDir(p, func(path string, d os.DirEntry, err error) error {
			if err == nil && d.Type().IsRegular() && filepath.Ext(path) == script.Suffix {
				scripts = append(scripts, path)
			}
			return err
		})
		if err != nil {
			return nil, err
		}
	}
	if len(scripts) == 0 {
		return nil, exit.Wrongf("there is no script *.friz in %s", strings.Join(paths, ", "))
	}
	return scripts, nil
}
