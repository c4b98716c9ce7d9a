package exit

import (
	"fmt"
	"runtime/debug"
)

// A PanicError is a panic as an error. Its status is Internal.
type PanicError struct {
	Value any
	Stack []byte // of the goroutine that panicked
}

func (e *PanicError) Error() string { return fmt.Sprintf("%v\n%s", e.Value, e.Stack) }

// ExitStatus returns Internal.
func (e *PanicError) ExitStatus() Status { return Internal }

// Caught sets err if the function that defers it panics, so that a panic of a worker ends the work like other
// errors: defer exit.Caught(&err).
func Caught(err *error) {
	if r := recover(); r != nil {
		*err = asError(r)
	}
}

func asError(r any) error {
	if e, ok := r.(*PanicError); ok { // keep the stack of the goroutine that panicked first
		return e
	}
	return &PanicError{r, debug.Stack()}
}

// Async runs do in a goroutine. The function that it returns waits for the result, and panics if do panicked. It
// must be called exactly once.
func Async[T any](do func() T) func() T {
	type result struct {
		value T
		err   error
	}
	done := make(chan result, 1)
	go func() {
		var r result
		defer func() { done <- r }()
		defer Caught(&r.err)
		r.value = do()
	}()
	return func() T {
		r := <-done
		if r.err != nil {
			panic(r.err)
		}
		return r.value
	}
}
