package cli

import (
	"frizzel/internal/fleet"
)

// fleetEvents prints what would change on all hosts, for programs.
func (a *app) fleetEvents(s *fleet.Survey) error { return nil }

// fleetStates prints where each host of a run is, for programs.
func (a *app) fleetStates(r *fleet.Run) error { return nil }
