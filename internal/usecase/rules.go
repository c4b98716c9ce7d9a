package usecase

import (
	"io"
	"maps"
	"os"
	"path/filepath"
	"strings"
	"time"

	"frizzel/core/compile"
	"frizzel/core/program"
	"frizzel/core/script"
	"frizzel/internal/disk"
	"frizzel/internal/values"
)

// How long files may be that a person wrote for the program, in bytes.
const (
	mostScript = 16 << 20
	mostTable  = 256 << 20
	mostValues = 1 << 20
)

// OneOffName is the name of the script that a one-off change stands for.
const OneOffName = "command line"

// Rules say which rules are to run.
type Rules struct {
	Scripts    []string // paths; - is Stdin
	Stdin      io.Reader
	OneOff     string // the text of a script without a file, "" for none
	Values     map[string]string
	ValueFiles []string // for many scripts; Values win over them
	// AllowUnreadable lets files be written in which something is never closed.
	AllowUnreadable bool
	// Shared are values for many scripts, like those of ValueFiles, over which they win.
	Shared map[string]string
}

// Compiled is rules ready to run, and what they were made of.
type Compiled struct {
	Program *program.Program
	Labels  []string          // of rules, by index; "" for those of a one-off change
	Sources map[string]string // the texts of scripts and tables, by name
	Values  map[string]string // of parameters, as they were given
	// Warnings are of what is allowed, and most likely not meant.
	Warnings script.Problems
}

// Compile reads scripts and compiles them with the one-off change. The error is a
// *WrongError or script.Problems.
func Compile(r Rules) (*Compiled, error) {
	c := &Compiled{Sources: map[string]string{}}
	var scripts []*script.Script
	var problems script.Problems
	parse := func(name, text string) {
		c.Sources[name] = text
		s, ps := script.Parse(name, text)
		scripts = append(scripts, s)
		problems = append(problems, ps...)
	}
	for _, path := range r.Scripts {
		text, err := ReadScript(path, r.Stdin)
		if err != nil {
			return nil, err
		}
		parse(filepath.ToSlash(path), text)
	}
	if r.OneOff != "" {
		parse(OneOffName, r.OneOff)
	}
	options, err := r.options()
	if err != nil {
		return nil, err
	}
	options.Load = c.load
	p, more := compile.Scripts(scripts, options)
	problems = append(problems, more...)
	problems.Sort()
	if errs := problems.Errors(); len(errs) > 0 {
		return nil, errs
	}
	c.Program, c.Labels, c.Warnings = p, labels(p), problems
	c.Values = map[string]string{}
	for _, param := range p.Params {
		if v, ok := options.Values[param.Name]; ok {
			c.Values[param.Name] = v
		} else if v, ok := options.Shared[param.Name]; ok {
			c.Values[param.Name] = v
		}
	}
	return c, nil
}

// load reads what a script names.
func (c *Compiled) load(path string) ([]byte, error) {
	text, err := loadFile(path)
	if err == nil {
		c.Sources[path] = string(text)
	}
	return text, err
}

func loadFile(path string) ([]byte, error) {
	most := int64(mostTable)
	if strings.HasSuffix(path, ".friz") {
		most = mostScript
	}
	return disk.ReadBounded(path, most)
}

// labels lists what people call the rules; a one-off change needs no name.
func labels(p *program.Program) []string {
	names := make([]string, len(p.Rules))
	for i, r := range p.Rules {
		if !strings.HasPrefix(r.Label, OneOffName+":") {
			names[i] = r.Label
		}
	}
	return names
}

// ReadScript reads a script's text; - is standard input.
func ReadScript(path string, stdin io.Reader) (string, error) {
	if path == "-" {
		text, err := disk.ReadStream(stdin, "standard input", mostScript)
		return string(text), err
	}
	text, err := disk.ReadBounded(path, mostScript)
	if err != nil {
		return "", notRead("script", path, err)
	}
	return string(text), nil
}

// options returns what scripts are compiled with, the parameters' values among it.
func (r *Rules) options() (compile.Options, error) {
	o := compile.Options{
		Values: r.Values, Shared: map[string]string{}, Env: os.LookupEnv, Now: time.Now(), Load: loadFile,
		AllowUnreadable: r.AllowUnreadable,
	}
	for _, path := range r.ValueFiles {
		text, err := disk.ReadBounded(path, mostValues)
		if err != nil {
			return o, notRead("file of values", path, err)
		}
		read, err := values.Read(path, text)
		if err != nil {
			return o, wrong("%s: %w", path, err)
		}
		maps.Copy(o.Shared, read)
	}
	maps.Copy(o.Shared, r.Shared)
	return o, nil
}

// ScriptsIn returns the scripts that paths stand for, in path order: a folder stands for
// all in it, none for the current folder.
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
			return nil, notRead("script", p, err)
		}
		if !info.IsDir() {
			scripts = append(scripts, p)
			continue
		}
		err = filepath.WalkDir(p, func(path string, d os.DirEntry, err error) error {
			if err == nil && d.Type().IsRegular() && filepath.Ext(path) == ".friz" {
				scripts = append(scripts, path)
			}
			return err
		})
		if err != nil {
			return nil, err
		}
	}
	if len(scripts) == 0 {
		return nil, wrong("there is no script *.friz in %s", strings.Join(paths, ", "))
	}
	return scripts, nil
}
