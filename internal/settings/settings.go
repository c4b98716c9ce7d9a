// Package settings reads the user's settings files.
//
// The central type is [Settings]. Its keys are names of options. Options that let a run write without
// asking, or override a refusal, cannot be set.
package settings

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"syscall"

	"github.com/pelletier/go-toml/v2/unstable"

	"frizzel/core/script"
	"frizzel/internal/disk"
	"frizzel/internal/exit"
	"frizzel/internal/values"
)

// A Kind is the kind of values that a key takes.
type Kind int

const (
	Text Kind = iota
	Number
	Switch
	List // of texts
)

// Key is an option that can be set for good.
type Key struct {
	Name    string
	Kind    Kind
	Default string // for people
	About   string
	// OneOff means that the option affects the meaning of a change. It applies only to changes given on the
	// command line, because a script has the same meaning on every host.
	OneOff bool
}

// Keys returns all of them, in the order in which they are shown.
func Keys() []Key { return slices.Clone(keys) }

var keys = []Key{
	{"color", Text, "auto", "colour the output: auto, always or never", false},
	{"ask", Text, "screen", "how apply and stamp ask: screen, file or match", false},
	{"context", Number, "3, of find 0", "lines around a change, or a match", false},
	{"joiners", Text, "none", "characters that join words, such as \"-.\"", true},
	{"not-files", List, "none", "globs of files that are left out", true},
	{"no-hidden", Switch, "false", "leave out names that begin with a dot", true},
	{"one-filesystem", Switch, "false", "stay on the file systems of the directories named", true},
	{"max-size", Text, "none", "leave out files over this size", true},
	{"older-than", Text, "365d", "how long runs are kept, to be taken back; never for as long as there is room", false},
	{"total", Text, "2GiB", "how much the runs that are kept may take together; any for no bound", false},
}

// unsettable are options that are said each time, or not at all.
var unsettable = []string{
	"yes", "force", "prove", "prove-file", "prove-time", "after", "hold", "allow-unreadable", "allow-broken",
	"skip-unreadable", "keep-later",
}

// A Value is the value of a key, as it would be typed: several for a List.
type Value struct {
	Texts []string
	Line  int // of the file, from 1
}

// Settings are the settings of a file.
type Settings struct {
	Path   string
	There  bool // the file is there
	Values map[string]Value
	// Untrusted is why the file is not used: someone else may have written it. nil if it is.
	Untrusted error
}

// Path returns where settings are kept.
func Path() (string, error) {
	if f := os.Getenv("XDG_CONFIG_HOME"); filepath.IsAbs(f) {
		return filepath.Join(f, "frizzel", "config.toml"), nil
	}
	home, err := os.UserHomeDir()
	if err != nil {
		return "", err
	}
	return filepath.Join(home, ".config", "frizzel", "config.toml"), nil
}

// most is how long a file of settings may be, in bytes.
const most = 1 << 20

// Read reads the settings; a file that is not there sets nothing. Errors name the file and
// the line.
func Read() (*Settings, error) {
	s := &Settings{Values: map[string]Value{}}
	var err error
	if s.Path, err = Path(); err != nil { // nobody's home, so nothing is set
		return s, nil
	}
	text, err := read(s.Path)
	if errors.Is(err, fs.ErrNotExist) {
		return s, nil
	}
	s.There = true
	if err != nil {
		s.Untrusted = err
		return s, nil
	}
	return s, s.parse(text)
}

// read reads a file that nobody else can write.
func read(path string) ([]byte, error) {
	resolved, err := disk.Resolve(path)
	if err != nil {
		return nil, err
	}
	dir, err := disk.Real{}.OpenDir(filepath.Dir(resolved))
	if err != nil {
		return nil, err
	}
	defer disk.Close(dir)
	f, err := dir.Open(filepath.Base(resolved))
	if err != nil {
		return nil, err
	}
	defer disk.Close(f)
	info, err := f.Stat()
	if err != nil {
		return nil, err
	}
	in, err := os.Lstat(filepath.Dir(resolved))
	if err != nil {
		return nil, err
	}
	owner, _ := in.Sys().(*syscall.Stat_t)
	switch {
	case info.UID != os.Geteuid():
		return nil, errors.New("another user owns it")
	case info.Mode&0o022 != 0:
		return nil, errors.New("other users may write it; take that from its mode, as chmod go-w does")
	case owner != nil && int(owner.Uid) != os.Geteuid() && owner.Uid != 0, in.Mode()&0o022 != 0:
		return nil, errors.New("other users may write in its directory; take that from its mode, as chmod go-w does")
	}
	return disk.ReadStream(disk.Reader(f), path, most)
}

func (s *Settings) parse(text []byte) error {
	p := unstable.Parser{}
	p.Reset(text)
	for p.NextExpression() {
		e := p.Expression()
		if e.Kind == unstable.Comment {
			continue
		}
		name, parts, line := "", 0, 0
		for key := e.Key(); key.Next(); parts++ {
			if parts == 0 {
				name, line = string(key.Node().Data), p.Shape(key.Node().Raw).Start.Line
			}
		}
		wrong := func(format string, args ...any) error {
			return exit.Wrongf("%s:%d: %s", s.Path, line, fmt.Sprintf(format, args...))
		}
		if e.Kind != unstable.KeyValue || parts != 1 {
			return wrong("settings are lines such as color = \"never\", and no tables")
		}
		key, err := keyNamed(name)
		if err != nil {
			return wrong("%v", err)
		}
		if _, twice := s.Values[name]; twice {
			return wrong("%s is set twice", name)
		}
		texts, ok := key.read(e.Value())
		if !ok {
			return wrong("%s wants %s", name, [...]string{"a text between quotes", "a whole number", "true or false", `a list such as ["*.bak"]`}[key.Kind])
		}
		s.Values[name] = Value{texts, line}
	}
	if err := p.Error(); err != nil {
		return exit.Wrongf("%s: %w", s.Path, values.TOMLProblem(text, err))
	}
	return nil
}

// keyNamed returns a key, or why it is none.
func keyNamed(name string) (Key, error) {
	var names []string
	for _, k := range keys {
		if k.Name == name {
			return k, nil
		}
		names = append(names, k.Name)
	}
	if slices.Contains(unsettable, name) {
		return Key{}, fmt.Errorf("%s cannot be set for good: it is said each time", name)
	}
	if near := script.Nearest(name, names); near != "" {
		return Key{}, fmt.Errorf("there is no setting %s: did you mean %s?", name, near)
	}
	return Key{}, fmt.Errorf("there is no setting %s; there are %s", name, strings.Join(names, ", "))
}

// read returns a value as it would be typed.
func (k Key) read(v *unstable.Node) (texts []string, ok bool) {
	switch {
	case k.Kind == Text && v.Kind == unstable.String, k.Kind == Number && v.Kind == unstable.Integer, k.Kind == Switch && v.Kind == unstable.Bool:
		return []string{string(v.Data)}, true
	case k.Kind == List && v.Kind == unstable.Array:
		for it := v.Children(); it.Next(); {
			if it.Node().Kind == unstable.Comment {
				continue
			}
			if it.Node().Kind != unstable.String {
				return nil, false
			}
			texts = append(texts, string(it.Node().Data))
		}
		return texts, true
	}
	return nil, false
}
