// Packaging makes a release of Frizzel in a directory: static binaries, archives, packages for
// Debian's and for RPM's systems, their manual pages and completions, a bill of materials, and the
// sums of all of it. What comes of a commit is the same to the last byte whenever and wherever it is
// made with the same Go.
//
//	go run . VERSION COMMIT UNIX-TIME BINARIES DIRECTORY
//
// BINARIES is a directory of binaries named frizzel-SYSTEM-ARCHITECTURE, and the file NOTICES with the licences of what
// is in them; the script release beside this
// directory builds them and calls this.
package main

import (
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"
)

func main() {
	if err := run(os.Args[1:]); err != nil {
		fmt.Fprintln(os.Stderr, "release:", err)
		os.Exit(1)
	}
}

// release is what is made.
type release struct {
	version string // of a package: 1.2.3, or 0.0.0-N.gCOMMIT between releases
	commit  string
	time    time.Time // of the commit, which everything bears
	dir     string
	shared  []file // of every archive and package
}

// file is one of an archive or a package.
type file struct {
	path    string // in the archive; in a package below /usr
	content []byte
}

func run(args []string) error {
	if len(args) != 5 {
		return fmt.Errorf("usage: packaging VERSION COMMIT UNIX-TIME BINARIES DIRECTORY")
	}
	seconds, err := strconv.ParseInt(args[2], 10, 64)
	if err != nil {
		return err
	}
	r := &release{version: args[0], commit: args[1], time: time.Unix(seconds, 0).UTC(), dir: args[4]}
	if r.shared, err = r.pages(args[3]); err != nil {
		return err
	}
	binaries, err := filepath.Glob(filepath.Join(args[3], "frizzel-*"))
	if err != nil {
		return err
	}
	for _, path := range binaries {
		if err := r.binary(path); err != nil {
			return err
		}
	}
	return r.sums()
}

// binary makes what is made of one binary.
func (r *release) binary(path string) error {
	content, err := os.ReadFile(path)
	if err != nil {
		return err
	}
	system, architecture, _ := strings.Cut(strings.TrimPrefix(filepath.Base(path), "frizzel-"), "-")
	name := fmt.Sprintf("frizzel-%s-%s-%s", r.version, system, architecture)
	if err := r.bill(path, name); err != nil {
		return err
	}
	if err := r.archive(name, content); err != nil {
		return err
	}
	if system != "linux" {
		return nil
	}
	for _, kind := range []string{"deb", "rpm"} {
		if err := r.pack(kind, architecture, content); err != nil {
			return err
		}
	}
	return nil
}
