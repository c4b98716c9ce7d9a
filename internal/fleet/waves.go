package fleet

import (
	"cmp"
	"context"
	"errors"
	"slices"
	"strings"
	"time"

	"golang.org/x/sync/errgroup"

	"frizzel/internal/fleet/wire"
)

// A Drive carries out a run.
type Drive struct {
	*Run
	Way *Way
	// Told is called when the state of a host changed; it may be called from several goroutines at once. nil for nothing.
	Told func(h *Planned)
	// Again has hosts written on which a proof failed before.
	Again bool
	// KeepLater undoes files that changed since, around the later changes.
	KeepLater bool
}

// request returns a request about the run.
func (d *Drive) request(op wire.Op) *wire.Request { return &wire.Request{Op: op, Run: d.Key} }

// Review returns the request for the review of a host of the run.
func (p *Plan) Review(h *Planned) *wire.Request {
	return &wire.Request{
		Op: wire.Preview, Run: p.Key, Rules: p.Rules, Values: h.Values, Differs: p.Differs, Files: p.Files, Context: p.Context, Answers: h.Answers,
	}
}

// waves returns hosts in the groups in which they are written.
func (d *Drive) waves(hosts []*Planned) (waves [][]*Planned) {
	size := max(d.First, 1)
	for len(hosts) > 0 {
		n := min(size, len(hosts))
		waves = append(waves, hosts[:n])
		hosts, size = hosts[n:], max(d.Wave, 1)
	}
	return waves
}

// Write writes the hosts that wait, wave by wave. A wave in which anything fails is the last one. While it works, holds
// are renewed.
func (d *Drive) Write(ctx context.Context) error {
	var hosts []*Planned
	for _, h := range d.Hosts {
		if h.State == Waiting {
			hosts = append(hosts, h)
		}
	}
	stop := d.renewing(ctx)
	defer stop()
	for _, wave := range d.waves(hosts) {
		if err := ctx.Err(); err != nil {
			return err
		}
		if err := d.at(ctx, wave, d.write); err != nil {
			return err
		}
		if slices.ContainsFunc(wave, func(h *Planned) bool { return !h.State.Written() }) {
			stop()
			return d.failed(ctx)
		}
	}
	return nil
}

// failed takes the run back everywhere, if it is all or none.
func (d *Drive) failed(ctx context.Context) error {
	if !d.AllOrNone {
		return nil
	}
	var written []*Planned
	for _, h := range d.Hosts {
		if h.State.Written() {
			written = append(written, h)
		}
	}
	return d.at(ctx, written, d.undo)
}

// at calls do for hosts, for some at once, and returns when all have ended.
func (d *Drive) at(ctx context.Context, hosts []*Planned, do func(context.Context, *Planned) error) error {
	var group errgroup.Group
	group.SetLimit(max(d.AtOnce, 1))
	for _, h := range hosts {
		group.Go(func() error {
			if err := ctx.Err(); err != nil {
				return err
			}
			return do(ctx, h)
		})
	}
	return cmp.Or(group.Wait(), ctx.Err())
}

// enter notes the state of a host, and tells it.
func (d *Drive) enter(h *Planned, state State, why string) error {
	err := d.Run.enter(h, state, why)
	if d.Told != nil {
		d.Told(h)
	}
	return err
}

// call asks a host, and checks that its history is the one that the review was made with. A fault is noted as the host's
// state, and answer is nil.
func (d *Drive) call(ctx context.Context, h *Planned, request *wire.Request) (*Answer, error) {
	answer, err := d.Way.Call(ctx, h.Name, request, func(*wire.Message) error { return nil })
	var fault *Fault
	switch {
	case errors.As(err, &fault):
		state := h.State
		switch {
		case fault.Lies:
			state = Strange
		case state == Waiting, request.Op == wire.Apply && !fault.Sent: // it was not told
			state = Unreached
		}
		return nil, d.enter(h, state, fault.Reason)
	case err != nil:
		return nil, err
	case !known(answer):
		return nil, d.enter(h, Strange, errStrange.Error())
	case h.Store != "" && answer.Store != h.Store:
		return nil, d.enter(h, Another, "its history is another one than at the review; nothing is done there")
	}
	return answer, nil
}

// write has a host write its review.
func (d *Drive) write(ctx context.Context, h *Planned) error {
	request := d.request(wire.Apply)
	request.Digest, request.Write = h.Digest, &d.Plan.Write
	if err := d.enter(h, Told, "it was told to write, and gave no answer yet"); err != nil {
		return err
	}
	answer, err := d.call(ctx, h, request)
	if err != nil || answer == nil {
		return err
	}
	return d.became(h, answer)
}

// states are the states of a host by what it says became of the run there.
var states = map[wire.State]State{
	wire.Refused: Refused, wire.Failed: Failed, wire.PutBack: Waiting, wire.Held: Held, wire.Done: Done, wire.Expired: Expired,
	wire.Undone: Undone, wire.Left: Left, wire.Reviewed: Waiting, wire.Nothing: Waiting, "": Refused,
}

// known reports whether an answer is one that hosts give.
func known(a *Answer) bool {
	_, ok := states[a.State]
	return ok && (a.State != "" || a.Error != "")
}

// became notes what a host says became of the run there.
func (d *Drive) became(h *Planned, a *Answer) error {
	h.Run, h.Until, h.Files = a.Run, a.Until, a.Files
	why := a.Error
	state := states[a.State]
	switch {
	case a.State == wire.Failed && h.State == Waiting && d.Again:
		state = Waiting
	case state == Failed && a.Output != "":
		why += ": " + lastLine(strings.TrimSpace(a.Output))
	case state == Expired:
		why = "nobody kept it in time, so it was put back there"
	}
	return d.enter(h, state, why)
}

// renewing has holds begin anew until the result is called.
func (d *Drive) renewing(ctx context.Context) (stop func()) {
	if d.Plan.Write.Hold <= 0 {
		return func() {}
	}
	ctx, cancel := context.WithCancel(ctx)
	ended := make(chan struct{})
	go func() {
		defer close(ended)
		for {
			select {
			case <-ctx.Done():
				return
			case <-time.After(max(d.Plan.Write.Hold/3, 100*time.Millisecond)):
			}
			_ = d.Renew(ctx) // what cannot be renewed expires there
		}
	}()
	return func() {
		cancel()
		<-ended
	}
}

// Renew has the time of all holds begin anew, over new connections.
func (d *Drive) Renew(ctx context.Context) error {
	return d.at(ctx, d.in(Held), func(ctx context.Context, h *Planned) error {
		answer, err := d.Way.Call(ctx, h.Name, d.request(wire.Renew), func(*wire.Message) error { return nil })
		if err != nil { // it expires there, or answers the next time
			return nil
		}
		return d.became(h, answer)
	})
}

// in returns the hosts in a state.
func (d *Drive) in(states ...State) (hosts []*Planned) {
	d.mu.Lock()
	defer d.mu.Unlock()
	for _, h := range d.Hosts {
		if slices.Contains(states, h.State) {
			hosts = append(hosts, h)
		}
	}
	return hosts
}

// Keep says that what was written on hold stays.
func (d *Drive) Keep(ctx context.Context) error {
	return d.at(ctx, d.in(Held, Told), func(ctx context.Context, h *Planned) error {
		answer, err := d.call(ctx, h, d.request(wire.Keep))
		if err != nil || answer == nil {
			return err
		}
		return d.became(h, answer)
	})
}

// Undo takes the run back on all hosts. Those that cannot be reached stay open.
func (d *Drive) Undo(ctx context.Context) error {
	return d.at(ctx, d.in(Waiting, Unreached, Told, Held, Done, Left, Strange, Failed, Refused, Another), d.undo)
}

func (d *Drive) undo(ctx context.Context, h *Planned) error {
	untouched := h.State == Unreached && h.Digest == ""
	request := d.request(wire.Undo)
	request.KeepLater = d.KeepLater
	was, why := h.State, h.Why
	answer, err := d.call(ctx, h, request)
	if err != nil || answer == nil {
		return err
	}
	switch {
	case answer.State == wire.Nothing && was == Done, answer.State == wire.Nothing && was == Held:
		return d.enter(h, Another, "its history does not have the run")
	case answer.State == wire.Nothing && was == Refused:
		return d.enter(h, Refused, why)
	case answer.State == wire.Nothing, untouched:
		return d.enter(h, Forgotten, "")
	case answer.State == wire.PutBack:
		return d.enter(h, Undone, "it had been cut off there, and was put back")
	}
	return d.became(h, answer)
}

// Resume asks each host what became of the run, and makes ready what is still to be written: [Drive.Write] writes it.
func (d *Drive) Resume(ctx context.Context) error {
	if err := d.at(ctx, d.in(Told, Held, Strange, Left, Another), d.asked); err != nil {
		return err
	}
	if err := d.Renew(ctx); err != nil {
		return err
	}
	again := []State{Waiting, Unreached}
	if d.Again {
		again = append(again, Failed)
	}
	return d.at(ctx, d.in(again...), d.ready)
}

// asked notes what became of the run on a host.
func (d *Drive) asked(ctx context.Context, h *Planned) error {
	answer, err := d.call(ctx, h, d.request(wire.Ask))
	if err != nil || answer == nil {
		return err
	}
	return d.became(h, answer)
}

// ready sees to it that a host keeps the review that was accepted. One that would change something else is refused.
func (d *Drive) ready(ctx context.Context, h *Planned) error {
	if h.Digest != "" {
		answer, err := d.call(ctx, h, d.request(wire.Ask))
		if err != nil || answer == nil {
			return err
		}
		if answer.State != wire.Reviewed && answer.State != wire.Nothing && answer.State != wire.PutBack && !(answer.State == wire.Failed && d.Again) {
			return d.became(h, answer)
		}
		if answer.State == wire.Reviewed && answer.Digest == h.Digest {
			return d.enter(h, Waiting, "")
		}
	}
	m := &Member{Host: h.Host}
	Look(ctx, Order{Way: d.Way, AtOnce: 1, Members: []*Member{m}, Rules: len(d.Labels), Request: func(*Member) *wire.Request { return d.Review(h) }})
	var fault *Fault
	switch {
	case errors.As(m.Fault, &fault) && fault.Lies:
		return d.enter(h, Strange, fault.Reason)
	case errors.As(m.Fault, &fault):
		return d.enter(h, Unreached, fault.Reason)
	case m.Fault != nil:
		return d.enter(h, Refused, Reason(m.Fault))
	case h.Store != "" && m.Answer.Store != h.Store:
		return d.enter(h, Another, "its history is another one than at the review; nothing is done there")
	case len(m.Files) == 0:
		return d.enter(h, Forgotten, "there is nothing to change there")
	case h.Digest != "" && m.Answer.Digest != h.Digest:
		return d.enter(h, Refused, "its files are others than were reviewed")
	case h.Digest == "" && slices.ContainsFunc(m.Files, func(f *File) bool { return !slices.Contains(d.Shown, f.Sum) }):
		return d.enter(h, Refused, "what would change there was not reviewed on any host")
	}
	h.Digest, h.Store = m.Answer.Digest, m.Answer.Store
	return d.enter(h, Waiting, "")
}
