// Package usecase is what the program does, one function with one options type each:
// [Find], [Preview], [Apply], [Undo], [Layout], [Check], [Filter] and what goes with a
// sealed review. It knows no flags and prints nothing; what is shown and asked goes
// through functions among the options.
package usecase

import (
	"errors"
	"fmt"
	"io/fs"
	"strings"
	"syscall"
)

// WrongError is the error of what a person gave: an option, a path, a script's name.
type WrongError struct{ Err error }

func (e *WrongError) Error() string { return e.Err.Error() }
func (e *WrongError) Unwrap() error { return e.Err }

func wrong(format string, args ...any) error { return &WrongError{fmt.Errorf(format, args...)} }

// RefusedError is why nothing was written.
type RefusedError struct{ Reasons []string }

func (e *RefusedError) Error() string { return strings.Join(e.Reasons, "\n") }

func refused(format string, args ...any) error {
	return &RefusedError{[]string{fmt.Sprintf(format, args...)}}
}

// notRead words the error of a file that a person named and that cannot be read; what is
// what kind of file it is.
func notRead(what, path string, err error) error {
	var p *fs.PathError
	if errors.Is(err, fs.ErrNotExist) {
		return wrong("there is no %s %q", what, path)
	}
	if errors.As(err, &p) {
		err = p.Err
	}
	if errors.Is(err, syscall.EISDIR) {
		return wrong("%q is a folder, not a %s", path, what)
	}
	return wrong("the %s %q cannot be read: %w", what, path, err)
}
