// Package confine takes rights away from a process that only looks at files.
//
// Files of strangers are read by large parsers. A command that only looks gives up, before it reads the first of them, what
// a mistake in a parser could be used for: writing, except in a private directory for temporary files and in the directories
// of the outputs that were named, starting programs, and TCP. Linux enforces that (Landlock); elsewhere, and on kernels
// without it, commands run as they are.
package confine

import (
	"os"
	"path/filepath"
)

// A Confined is a process that gave up rights. Its private directory is removed by End.
type Confined struct{ private string }

// Begin gives up the rights of this process, as far as the system enforces that, for good. outputs are the files that it
// will make; those that are "" are ignored. $TMPDIR is then a private directory.
func Begin(outputs ...string) (*Confined, error) {
	if Enforced() == "" {
		return &Confined{}, nil
	}
	c := &Confined{}
	above := os.TempDir()
	if dir, err := os.MkdirTemp(above, "frizzel-"); err == nil { // else a temporary file will tell that there is no room
		c.private = dir
	}
	dirs := map[string]bool{}
	for _, path := range outputs {
		if path != "" {
			dirs[filepath.Dir(path)] = true
		}
	}
	if err := restrict(above, c.private, dirs); err != nil {
		c.End()
		return nil, err
	}
	if c.private == "" {
		return c, nil
	}
	return c, os.Setenv("TMPDIR", c.private)
}

// End removes the private directory. c may be nil.
func (c *Confined) End() {
	if c != nil && c.private != "" {
		_ = os.RemoveAll(c.private)
	}
}
