// Package fleet runs the same rules on many hosts. It is the control side: it reaches the hosts over a remote shell,
// gathers their reviews, has them written in waves, and keeps a journal of which host is where.
//
// A [Way] starts the other side on a host and talks to it ([frizzel/internal/fleet/member]). [Survey] gathers what would
// change, each distinct change once with its hosts. A [Run] is the journal, from which a run that was cut off is resumed
// or undone. Each host's own history is what counts: the journal says what was asked of a host, and a host is asked
// what became of it.
package fleet

import (
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"unicode"

	"frizzel/internal/disk"
	"frizzel/internal/exit"
	"frizzel/internal/values"
)

// A Host is a host as the remote shell calls it, and the values of its parameters.
type Host struct {
	Name   string            `json:"name"`
	Values map[string]string `json:"values,omitempty"`
}

// hostColumn is the column of a table of hosts that has their names.
const hostColumn = "host"

// maxHosts is the maximum length of a list of hosts in bytes.
const maxHosts = 64 << 20

// ReadHosts reads a list of hosts: a name on each line, or the rows of a CSV, TOML, YAML or JSON file. with are
// conditions NAME=VALUE, all of which must hold. The error is one of the command line.
func ReadHosts(path string, with []string) ([]Host, error) {
	text, err := disk.ReadBounded(path, maxHosts)
	if err != nil {
		return nil, exit.Wrongf("the list of hosts cannot be read: %w", err)
	}
	hosts, err := parseHosts(path, text)
	if err != nil {
		return nil, exit.Wrongf("%s: %w", path, err)
	}
	seen := map[string]bool{}
	for _, h := range hosts {
		if err := checkName(h.Name); err != nil {
			return nil, exit.Wrongf("%s: %w", path, err)
		}
		if seen[h.Name] {
			return nil, exit.Wrongf("%s: the host %s is listed twice", path, h.Name)
		}
		seen[h.Name] = true
	}
	for _, condition := range with {
		if hosts, err = chosen(hosts, condition); err != nil {
			return nil, err
		}
	}
	if len(hosts) == 0 {
		return nil, exit.Wrongf("%s has no such host", path)
	}
	return hosts, nil
}

// parseHosts reads a list by the suffix of its name.
func parseHosts(path string, text []byte) (hosts []Host, err error) {
	switch strings.ToLower(filepath.Ext(path)) {
	case ".csv", ".tsv", ".toml", ".yaml", ".yml", ".json":
		rows, err := values.ReadRows(path, text)
		for _, row := range rows {
			name, ok := row.Values[hostColumn]
			if !ok {
				return nil, fmt.Errorf("it has no column %q", hostColumn)
			}
			hosts = append(hosts, Host{name, row.Values})
		}
		return hosts, err
	}
	for line := range strings.Lines(string(text)) {
		name := strings.TrimSpace(line)
		if name != "" && !strings.HasPrefix(name, "#") {
			hosts = append(hosts, Host{name, map[string]string{hostColumn: name}})
		}
	}
	return hosts, nil
}

// checkName returns an error if a name could be read as something else by a remote shell.
func checkName(name string) error {
	switch {
	case name == "":
		return fmt.Errorf("a host has no name")
	case strings.HasPrefix(name, "-"):
		return fmt.Errorf("the host's name %q begins with a hyphen", name)
	case strings.ContainsFunc(name, func(r rune) bool { return unicode.IsSpace(r) || !unicode.IsPrint(r) }):
		return fmt.Errorf("the host's name %q has white space or a control character", name)
	}
	return nil
}

// chosen returns the hosts for which a condition NAME=VALUE holds.
func chosen(hosts []Host, condition string) ([]Host, error) {
	name, value, ok := strings.Cut(condition, "=")
	if !ok {
		return nil, exit.Wrongf("--hosts-with wants NAME=VALUE, not %q", condition)
	}
	known := false
	hosts = slices.DeleteFunc(slices.Clone(hosts), func(h Host) bool {
		v, has := h.Values[name]
		known = known || has
		return v != value
	})
	if !known {
		return nil, exit.Wrongf("--hosts-with %s: the list of hosts has no column %q", condition, name)
	}
	return hosts, nil
}

// Differing returns the names of the values that are not the same on all hosts.
func Differing(hosts []Host) (names []string) {
	seen := map[string]string{}
	for _, h := range hosts {
		for name, value := range h.Values {
			if was, ok := seen[name]; ok && was != value && !slices.Contains(names, name) {
				names = append(names, name)
			}
			seen[name] = value
		}
	}
	slices.Sort(names)
	return names
}
