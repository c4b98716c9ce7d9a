package cli

import (
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"frizzel/core/program"
	"frizzel/core/script"
	"frizzel/internal/report"
)

const checkLong = `Report all problems of rule scripts, each with its place, its reason and, where one is
likely, its remedy; warn of what is most likely not meant; and run the examples.

A folder stands for all scripts in it, *.friz. The exit status is 0 where all is well
(warnings or not), 1 where an example failed, 2 where a script is wrong.`

const checkExample = `  frizzel check move-depot.friz
  frizzel check rules              # all scripts in a folder
  frizzel check --format json .    # for an editor or a job`

func (a *app) check() *cobra.Command {
	var rules ruleFlags
	var format string
	c := &cobra.Command{
		Use:     "check [SCRIPT or FOLDER]...",
		Short:   "Report a script's problems and run its examples",
		Long:    checkLong,
		Example: checkExample,
		RunE: func(c *cobra.Command, paths []string) error {
			if format != "text" && format != "json" {
				return wrong("--format is text or json, not %q", format)
			}
			scripts, err := scriptsIn(paths)
			if err != nil {
				return err
			}
			values, err := rules.values()
			if err != nil {
				return err
			}
			ch := &checking{app: a, json: format == "json", options: program.Options{
				Values: values, Env: os.LookupEnv, Now: time.Now(), Load: os.ReadFile, Lenient: true,
			}}
			for _, path := range scripts {
				text, err := a.readScript(path)
				if err != nil {
					return err
				}
				ch.script(path, text)
			}
			return ch.end(len(scripts))
		},
	}
	rules.addValues(c)
	c.Flags().StringVar(&format, "format", "text", "text or json, one object a line")
	return c
}

// scriptsIn returns the scripts that paths stand for, in path order.
func scriptsIn(paths []string) ([]string, error) {
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
		if errors.Is(err, fs.ErrNotExist) {
			return nil, wrong("there is no %q", p)
		} else if err != nil {
			return nil, err
		}
		if !info.IsDir() {
			scripts = append(scripts, p)
			continue
		}
		err = filepath.WalkDir(p, func(path string, d fs.DirEntry, err error) error {
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

// checking is a check at work.
type checking struct {
	*app
	json     bool
	options  program.Options
	errors   int
	warnings int
	passed   int
	failed   int
}

func (ch *checking) script(path, text string) {
	s, problems := script.Parse(filepath.ToSlash(path), text)
	_, more := program.Compile([]*script.Script{s}, ch.options)
	problems = append(problems, more...)
	problems.Sort()
	var trials []*program.Trial
	if len(problems.Errors()) == 0 {
		trials, more = program.Try(s, ch.options)
		problems = append(problems, more...)
		problems.Sort()
	}
	for _, p := range problems {
		ch.problem(p)
	}
	for _, t := range trials {
		ch.trial(s, t)
	}
}

// style colours what is shown; nothing in JSON.
func (ch *checking) style() report.Style {
	if ch.json {
		return report.Style{}
	}
	return ch.printer().Style
}

// problemEvent is a problem for programs.
type problemEvent struct {
	Event    string `json:"event"`
	Path     string `json:"path"`
	Line     int    `json:"line"`
	Column   int    `json:"column"`
	Width    int    `json:"width"`
	Severity string `json:"severity"`
	Reason   string `json:"reason"`
	Remedy   string `json:"remedy,omitempty"`
}

func (ch *checking) problem(p script.Problem) {
	if p.Severity == script.Error {
		ch.errors++
	} else {
		ch.warnings++
	}
	if ch.json {
		ch.event(problemEvent{"problem", p.Source.Name, p.Pos.Line, p.Pos.Column, p.Pos.Width, p.Severity.String(), p.Reason, p.Remedy})
		return
	}
	fmt.Fprintln(ch.Out, ch.style().Problem(p))
}

// exampleEvent is an example that was run, for programs.
type exampleEvent struct {
	Event  string `json:"event"`
	Path   string `json:"path"`
	Line   int    `json:"line"`
	Name   string `json:"name,omitempty"`
	Passed bool   `json:"passed"`
	Diff   string `json:"diff,omitempty"`
}

func (ch *checking) trial(s *script.Script, t *program.Trial) {
	var wrong string
	if t.Passed() {
		ch.passed++
	} else {
		ch.failed++
		wrong = ch.style().Trial(t)
	}
	switch {
	case ch.json:
		ch.event(exampleEvent{"example", s.Source.Name, t.Example.Pos.Line, t.Name(), t.Passed(), wrong})
	case !t.Passed():
		name := ""
		if t.Name() != "" {
			name = fmt.Sprintf(" %q", t.Name())
		}
		fmt.Fprintf(ch.Out, "%s\n%s", ch.style().Strong(fmt.Sprintf("%s:%d: example%s failed", s.Source.Name, t.Example.Pos.Line, name)), wrong)
	}
}

func (ch *checking) event(e any) {
	text, _ := json.Marshal(e)
	fmt.Fprintf(ch.Out, "%s\n", text)
}

// checkEvent ends a check for programs.
type checkEvent struct {
	Event    string `json:"event"`
	Scripts  int    `json:"scripts"`
	Errors   int    `json:"errors"`
	Warnings int    `json:"warnings"`
	Passed   int    `json:"examples_passed"`
	Failed   int    `json:"examples_failed"`
}

func (ch *checking) end(scripts int) error {
	if ch.json {
		ch.event(checkEvent{"summary", scripts, ch.errors, ch.warnings, ch.passed, ch.failed})
	} else {
		fmt.Fprintf(ch.Out, "%s: %s, %s; %s passed, %d failed\n", report.Count(scripts, "script"),
			report.Count(ch.errors, "error"), report.Count(ch.warnings, "warning"), report.Count(ch.passed, "example"), ch.failed)
	}
	switch {
	case ch.errors > 0:
		return &exitError{exitWrong, nil}
	case ch.failed > 0:
		return &exitError{exitWould, nil}
	}
	return nil
}
