// Notices prints the licences of everything that is linked into binaries: of each module, as it is in the module cache,
// and of Go. It fails if one has none.
//
//	go run ./docs/notices BINARY...
package main

import (
	"debug/buildinfo"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
)

func main() {
	if err := run(os.Stdout, os.Args[1:]); err != nil {
		fmt.Fprintln(os.Stderr, "notices:", err)
		os.Exit(1)
	}
}

func run(out io.Writer, binaries []string) error {
	modules, err := linked(binaries)
	if err != nil {
		return err
	}
	root, err := exec.Command("go", "env", "GOROOT").Output()
	if err != nil {
		return fmt.Errorf("go env GOROOT: %w", err)
	}
	fmt.Fprintf(out, "Frizzel is under the Apache License, Version 2.0; see LICENSE. It is made with the following.\n")
	if err := notice(out, "Go", strings.TrimSpace(string(root))); err != nil {
		return err
	}
	for _, m := range modules {
		dir, err := exec.Command("go", "list", "-m", "-f", "{{.Dir}}", m).Output()
		if err != nil {
			return fmt.Errorf("go list -m %s: %w", m, err)
		}
		if err := notice(out, m, strings.TrimSpace(string(dir))); err != nil {
			return err
		}
	}
	return nil
}

// linked returns the modules of binaries, as path@version, without those that a directory of this module replaces.
func linked(binaries []string) (modules []string, err error) {
	if len(binaries) == 0 {
		return nil, errors.New("name at least one binary")
	}
	for _, path := range binaries {
		info, err := buildinfo.ReadFile(path)
		if err != nil {
			return nil, err
		}
		for _, m := range info.Deps {
			if m.Replace == nil {
				modules = append(modules, m.Path+"@"+m.Version)
			}
		}
	}
	slices.Sort(modules)
	return slices.Compact(modules), nil
}

// names are those of files that must go with copies of a module.
var names = regexp.MustCompile(`(?i)^(licen[cs]e|copying|notice|patents)([.-].*)?$`)

// notice prints the licence of a module, and its other notices.
func notice(out io.Writer, module, dir string) error {
	entries, err := os.ReadDir(dir)
	if err != nil {
		return err
	}
	found := false
	for _, e := range entries {
		if !e.Type().IsRegular() || !names.MatchString(e.Name()) || strings.HasSuffix(e.Name(), ".go") {
			continue
		}
		text, err := os.ReadFile(filepath.Join(dir, e.Name()))
		if err != nil {
			return err
		}
		found = true
		fmt.Fprintf(out, "\n%s\n%s: %s\n\n%s\n", strings.Repeat("=", 80), module, e.Name(), strings.TrimSpace(string(text)))
	}
	if !found {
		return fmt.Errorf("%s has no licence in %s", module, dir)
	}
	return nil
}
