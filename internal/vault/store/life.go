package store

import (
	"fmt"
	"slices"
	"time"

	"frizzel/internal/exit"
)

// A State is the state of a run, in this state machine. [Locked.Enter] is the only transition from one state to
// the next:
//
//	from          to            when
//	(nothing)     begun         the record is on disk; no file of the user's is touched
//	begun         replacing     all is staged and on disk; files may be new from here on
//	              putting back  something failed, or the run was cut off
//	replacing     done          all files are new, on disk and proved
//	              held          the same, of a run on hold
//	              putting back  something failed, or the run was cut off
//	done, held    putting back  the run itself is not sure that the word was written
//	putting back  put back      no file is new but those that are no longer the run's
//	held          held          the time to wait begins anew
//	              kept          someone said that it stays
//	              lapsed        nobody did in time: an undo took it back, as far as it could
type State string

const (
	Begun       State = "begun" // nothing is live yet
	Replacing   State = "replacing"
	Done        State = "done"
	Held        State = "held"
	Kept        State = "kept"
	Lapsed      State = "lapsed"
	PuttingBack State = "putting-back"
	PutBack     State = "put-back"
)

// next are the states that may follow each.
var next = map[State][]State{
	"":          {Begun},
	Begun:       {Replacing, PuttingBack},
	Replacing:   {Done, Held, PuttingBack},
	Done:        {PuttingBack},
	Held:        {Held, Kept, Lapsed, PuttingBack},
	PuttingBack: {PutBack},
}

// Unfinished reports whether a run in this state is to be put back once nobody is at work
// on it.
func (s State) Unfinished() bool { return s == Begun || s == Replacing || s == PuttingBack }

// Succeeded reports whether a run in this state wrote all its files.
func (s State) Succeeded() bool { return s == Done || s == Held || s == Kept || s == Lapsed }

// durable reports whether a state must be on disk before the run continues from another one. PuttingBack need not
// be, except after Done or Held: after other states recovery puts the run back anyway.
func (s State) durable(from State) bool { return s != PuttingBack || !from.Unfinished() }

// StateError is the error of a step that the life of a run does not have.
type StateError struct {
	Run      string
	From, To State
}

// ExitStatus returns Refused.
func (*StateError) ExitStatus() exit.Status { return exit.Refused }

func (e *StateError) Error() string {
	return fmt.Sprintf("run %s is %s and cannot become %s", e.Run, e.From, e.To)
}

// Step is a state and when it was entered.
type Step struct {
	State State
	At    time.Time
}

// after returns the steps with one more, or a *StateError.
func after(id string, steps []Step, to State, at time.Time) ([]Step, error) {
	from := stateOf(steps)
	if !slices.Contains(next[from], to) {
		return nil, &StateError{id, from, to}
	}
	return append(slices.Clone(steps), Step{to, at}), nil
}

func stateOf(steps []Step) State {
	if len(steps) == 0 {
		return ""
	}
	return steps[len(steps)-1].State
}
