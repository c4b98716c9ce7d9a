package cli

import (
	"errors"
	"strings"

	"frizzel/internal/event"
	"frizzel/internal/fleet"
	"frizzel/internal/report"
)

// fleetEvents prints what would change on all hosts, for programs.
func (a *app) fleetEvents(s *fleet.Survey) error {
	events := report.NewEvents(a.Out, "fleet preview", nil)
	for _, f := range s.Files {
		if err := events.Write(hostChange(f)); err != nil {
			return err
		}
	}
	for _, m := range s.Members {
		h := event.Host{Host: m.Name, State: "unchanged", Files: len(m.Files)}
		var fault *fleet.Fault
		switch {
		case errors.As(m.Fault, &fault):
			h.State, h.Reason = string(fleet.Unreached), fault.Reason
		case m.Fault != nil:
			h.State, h.Reason = string(fleet.Refused), m.Fault.Error()
		case len(m.Files) > 0:
			h.State = "would change"
		}
		h.Reason = strings.ToValidUTF8(h.Reason, "\uFFFD")
		if err := events.Write(h); err != nil {
			return err
		}
	}
	return events.Write(event.Fleet{Hosts: len(s.Members), Change: s.Changing()})
}

// hostChange returns the event of a change.
func hostChange(f *fleet.File) event.HostChange {
	c := event.HostChange{Path: event.PathOf(f.Path), Changes: f.Count, Diff: strings.ToValidUTF8(string(f.Diff), "\uFFFD")}
	if f.To != f.Path {
		c.NewPath = event.NewPathOf(f.To)
	}
	for _, m := range f.Members {
		c.Hosts = append(c.Hosts, m.Name)
	}
	return c
}

// fleetStates prints where each host of a run is, for programs.
func (a *app) fleetStates(r *fleet.Run, s *fleet.Survey) error {
	events := report.NewEvents(a.Out, "fleet apply", nil)
	for _, f := range s.Files {
		if err := events.Write(hostChange(f)); err != nil {
			return err
		}
	}
	written := 0
	for _, h := range r.Hosts {
		e := event.Host{Host: h.Name, State: string(h.State), Files: h.Files, Run: h.Run, Reason: h.Why}
		if h.State == fleet.Held && !h.Until.IsZero() {
			until := h.Until.UTC()
			e.HeldUntil = &until
		}
		if h.State.Written() {
			written++
		}
		if err := events.Write(e); err != nil {
			return err
		}
	}
	return events.Write(event.Fleet{Hosts: len(r.Hosts), Change: s.Changing(), Written: written, Run: r.Name()})
}
