package rules

import (
	"maps"
	"os"
	"time"

	"frizzel/core/compile"
	"frizzel/core/script"
	"frizzel/core/syntax"
	"frizzel/internal/exit"
)

// A Bundle is rules with everything that they read, so that another host compiles the same program without reading
// anything.
type Bundle struct {
	Scripts         []BundledScript   `json:"scripts"`
	Read            map[string][]byte `json:"read,omitempty"` // scripts and tables that the scripts name, by path
	Env             map[string]string `json:"env,omitempty"`  // environment variables that the scripts name
	Now             time.Time         `json:"now"`
	AllowUnreadable bool              `json:"allow_unreadable,omitempty"`
	AllowBroken     bool              `json:"allow_broken,omitempty"`
	Syntax          string            `json:"syntax,omitempty"`
}

// A BundledScript is a script's name and text.
type BundledScript struct {
	Name string `json:"name"`
	Text string `json:"text"`
}

// A Bundler makes a Bundle, and checks it with the values of each host.
type Bundler struct {
	read   *Parsed
	bundle Bundle
}

// NewBundler reads rules.
func NewBundler(r Given) (*Bundler, error) {
	read, err := r.Parse()
	if err != nil {
		return nil, err
	}
	b := &Bundler{read: read, bundle: Bundle{
		Env: map[string]string{}, Now: read.Options.Now, AllowUnreadable: r.AllowUnreadable, AllowBroken: r.AllowBroken, Syntax: r.Syntax.Name(),
	}}
	lookup := read.Options.Env
	read.Options.Env = func(name string) (string, bool) {
		v, ok := lookup(name)
		if ok {
			b.bundle.Env[name] = v
		}
		return v, ok
	}
	for _, s := range read.Scripts {
		b.bundle.Scripts = append(b.bundle.Scripts, BundledScript{s.Source.Name, read.sources[s.Source.Name]})
	}
	return b, nil
}

// Compile compiles the rules with a host's values, which serve parameters of these names.
func (b *Bundler) Compile(values map[string]string) (*Compiled, error) { return b.read.Compile(values) }

// Bundle returns the bundle. Everything that the rules read is in it once they are compiled.
func (b *Bundler) Bundle() *Bundle {
	b.bundle.Read = b.read.named
	return &b.bundle
}

// Compile compiles the rules of a bundle with values by the names of parameters. mark may be nil; it is that of
// compile.Options.
func (b *Bundle) Compile(values map[string]string, mark func(param, value string) string) (*Compiled, error) {
	read := &Parsed{sources: map[string]string{}, named: b.Read}
	for _, s := range b.Scripts {
		read.sources[s.Name] = s.Text
		parsed, problems := script.Parse(s.Name, s.Text)
		read.Scripts = append(read.Scripts, parsed)
		read.Problems = append(read.Problems, problems...)
	}
	var kind syntax.Syntax
	if b.Syntax != "" {
		var ok bool
		if kind, ok = syntax.Named(b.Syntax); !ok {
			return nil, exit.Wrongf("there is no syntax %q", b.Syntax)
		}
	}
	read.Options = compile.Options{
		Values: maps.Clone(values), Shared: map[string]string{}, Now: b.Now, Mark: mark,
		AllowUnreadable: b.AllowUnreadable, AllowBroken: b.AllowBroken, Syntax: kind,
		Env: func(name string) (string, bool) { v, ok := b.Env[name]; return v, ok },
		Load: func(path string) ([]byte, error) {
			if text, ok := b.Read[path]; ok {
				return text, nil
			}
			return nil, os.ErrNotExist
		},
	}
	c, err := read.Compile(nil)
	if c != nil {
		c.Files = nil // they are on another host
	}
	return c, err
}
