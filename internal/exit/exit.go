// Package exit has the exit statuses of the program, and the errors that carry one.
//
// An error type returns its status by a method ExitStatus, which [Of] calls. An error without one is
// unexpected: its status is Internal.
package exit

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"strings"
	"syscall"
)

// A Status is an exit status.
type Status int

const (
	Done        Status = 0
	Would       Status = 1 // find: nothing found; preview --check: something would change; check: an example failed; fmt --check: a script would change
	Wrong       Status = 2 // the command line or a script is wrong, or a path does not exist; nothing was written
	Refused     Status = 3 // nothing stays written
	Unreadable  Status = 4 // a file could not be read or written
	Changed     Status = 5 // with --tell-changed: something was written
	InPart      Status = 6 // undo, redo, recover: done in part
	Internal    Status = 7 // an unexpected error
	Interrupted Status = 130
	BrokenPipe  Status = 141
)

// An Error is an error with its exit status. Err is nil if everything was said already.
type Error struct {
	Status Status
	Err    error
}

func (e *Error) Error() string {
	if e.Err == nil {
		return ""
	}
	return e.Err.Error()
}

func (e *Error) Unwrap() error { return e.Err }

// ExitStatus returns the status.
func (e *Error) ExitStatus() Status { return e.Status }

// Silent returns an error that only carries a status.
func Silent(s Status) error { return &Error{Status: s} }

// With returns an error with a status.
func With(s Status, err error) error { return &Error{s, err} }

// Wrongf returns an error about the command line, a script or a path that does not exist.
func Wrongf(format string, args ...any) error { return &Error{Wrong, fmt.Errorf(format, args...)} }

// Refusedf returns an error that says why nothing stays written.
func Refusedf(format string, args ...any) error { return &Error{Refused, fmt.Errorf(format, args...)} }

// Refusals returns an error with all the reasons why nothing stays written.
func Refusals(reasons []string) error {
	return &Error{Refused, errors.New(strings.Join(reasons, "\n"))}
}

// Of returns the exit status of an error: its own, Unreadable for a failed system call, else Internal.
func Of(err error) Status {
	var own interface{ ExitStatus() Status }
	switch {
	case err == nil:
		return Done
	case errors.As(err, &own):
		return own.ExitStatus()
	case isSystem(err):
		return Unreadable
	}
	return Internal
}

// isSystem reports whether the system failed a call.
func isSystem(err error) bool {
	var (
		path  *os.PathError
		link  *os.LinkError
		call  *os.SyscallError
		errno syscall.Errno
	)
	return errors.As(err, &path) || errors.As(err, &link) || errors.As(err, &call) || errors.As(err, &errno)
}

// NotRead returns the error for a file of the command line that cannot be read. what is the kind of file for the
// message.
func NotRead(what, path string, err error) error {
	var p *fs.PathError
	if errors.Is(err, fs.ErrNotExist) {
		return Wrongf("there is no %s %q", what, path)
	}
	if errors.As(err, &p) {
		err = p.Err
	}
	if errors.Is(err, syscall.EISDIR) {
		return Wrongf("%q is a directory, not a %s", path, what)
	}
	return Wrongf("the %s %q cannot be read: %w", what, path, err)
}
