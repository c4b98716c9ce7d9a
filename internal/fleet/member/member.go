// Package member is the side of a run over many hosts that runs on each host. It serves one request over its standard
// streams: it reviews this host's files, keeps the review, writes it, and says what became of it. Everything that it
// writes is a run in this host's own history.
package member

import (
	"context"
	"errors"
	"io"
	"os"
	"sync"
	"time"

	"frizzel/internal/exit"
	"frizzel/internal/fleet/wire"
	"frizzel/internal/usecase"
)

// A Member serves a request.
type Member struct {
	In      io.Reader
	Out     io.Writer
	Program string          // version of frizzel
	Write   usecase.Writing // what every run is written with
	// Output gets what Write says and what commands print; it is sent with the answer.
	Output *wire.Tail
	// Confine gives up rights that a preview that nothing follows does not need; nil if there are none to give up.
	Confine func() error

	mu sync.Mutex // guards Out
}

// Serve greets, reads a request and answers it. Paths are absolute, so the current directory becomes the root.
func (m *Member) Serve(ctx context.Context) error {
	if err := os.Chdir("/"); err != nil {
		return err
	}
	desk := &desk{store: m.Write.Store}
	// A login's last line may lack its ending.
	if _, err := io.WriteString(m.Out, "\n"); err != nil {
		return err
	}
	if err := m.send(greeting(m.Program, desk)); err != nil {
		return err
	}
	in := wire.NewReader(m.In)
	var request wire.Request
	if err := in.Read(&request); err != nil {
		return err
	}
	if desk.run = request.Run; !desk.named() {
		return exit.Wrongf("%q is no name of a run", request.Run)
	}
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	go m.pulse(ctx)
	if request.Op == wire.Preview { // which nobody needs once the other side is gone
		go func() {
			_, _ = io.Copy(io.Discard, m.In)
			cancel()
		}()
	}
	end := m.answer(ctx, desk, &request)
	end.Output = m.Output.String()
	end.Store = desk.id()
	return m.send(wire.Message{End: end})
}

func (m *Member) answer(ctx context.Context, d *desk, request *wire.Request) *wire.End {
	var end *wire.End
	var err error
	switch request.Op {
	case wire.Preview:
		if request.Run == "" && m.Confine != nil {
			err = m.Confine()
		}
		if err == nil {
			end, err = m.preview(ctx, d, request)
		}
	case wire.Apply:
		end, err = m.apply(ctx, d, request)
	case wire.Ask:
		end, err = m.ask(ctx, d)
	case wire.Undo:
		end, err = m.undo(ctx, d, request.KeepLater)
	case wire.Keep, wire.Renew:
		end, err = m.hold(ctx, d, request.Op)
	case wire.Forget:
		end = &wire.End{State: wire.Nothing}
		d.forget()
	default:
		err = exit.Wrongf("it does not know how to %q", request.Op)
	}
	if end == nil {
		end = &wire.End{}
	}
	if err != nil && end.Error == "" {
		end.Error, end.Status = err.Error(), int(exit.Of(err))
		if errors.Is(err, context.Canceled) {
			end.Status = int(exit.Interrupted)
		}
	}
	return end
}

// send writes a line.
func (m *Member) send(value any) error {
	m.mu.Lock()
	defer m.mu.Unlock()
	return wire.Send(m.Out, value)
}

// pulse says that the host lives until ctx ends.
func (m *Member) pulse(ctx context.Context) {
	for {
		select {
		case <-ctx.Done():
			return
		case <-time.After(wire.Pulse):
			if m.send(wire.Message{Alive: true}) != nil {
				return
			}
		}
	}
}

// badRequest is the error of a request that lacks something.
func badRequest(what string) error { return exit.Wrongf("the request has no %s", what) }

// unknownRun is the error of a run that this host has no review and no record of.
func unknownRun(run string) error {
	return exit.Refusedf("there is no review and no run of %s here", run)
}
