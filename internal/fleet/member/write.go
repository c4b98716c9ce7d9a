package member

import (
	"context"
	"errors"
	"time"

	"frizzel/core/diff"
	"frizzel/internal/change"
	"frizzel/internal/exit"
	"frizzel/internal/fleet/wire"
	"frizzel/internal/hook"
	"frizzel/internal/report"
	"frizzel/internal/usecase"
	"frizzel/internal/vault/history"
	"frizzel/internal/vault/hold"
	"frizzel/internal/vault/store"
	"frizzel/internal/vault/transaction"
)

// apply writes the review that is kept. A host that did that already answers as it did before.
func (m *Member) apply(ctx context.Context, d *desk, request *wire.Request) (*wire.End, error) {
	if request.Write == nil || request.Digest == "" {
		return nil, badRequest("digest")
	}
	end, err := m.ask(ctx, d)
	if err != nil || end.State != wire.Reviewed && end.State != wire.Failed && end.State != wire.PutBack {
		return end, err
	}
	if err := d.asKept(request.Digest); err != nil {
		return &wire.End{State: wire.Refused}, err
	}
	sealed, err := usecase.ReadSeal(d.path(sealSuffix))
	if err != nil {
		return &wire.End{State: wire.Refused}, err
	}
	defer sealed.Close()
	w, err := m.writing(d, request.Write)
	if err != nil {
		return nil, err
	}
	d.remove(failedSuffix)
	done, err := usecase.ApplySeal(ctx, usecase.ApplySealOptions{Seal: sealed, Write: w,
		Take: func(*change.Change, string, int, diff.Windows) (bool, error) { return true, nil },
	})
	if err != nil {
		return m.failed(d, err)
	}
	d.forget()
	if done.Run == nil {
		return &wire.End{State: wire.Refused}, exit.Refusedf("the files are the result of this review already; nothing was written")
	}
	return m.ask(ctx, d)
}

// writing returns how a run is written.
func (m *Member) writing(d *desk, how *wire.Write) (usecase.Writing, error) {
	w := m.Write
	w.Fleet, w.Command, w.Note, w.Beside, w.After, w.Hold = d.run, how.Command, how.Note, how.Beside, how.After, how.Hold
	limit := how.ProofTime
	if limit <= 0 {
		limit = time.Minute
	}
	if how.Prove != "" {
		w.Prove = &hook.Proof{Command: how.Prove, Limit: limit, Out: w.Out}
	}
	if how.ProveFile != "" {
		words, err := hook.ParseProof(how.ProveFile)
		if err != nil {
			return w, err
		}
		w.ProveFile = &hook.Proof{Words: words, Limit: limit, Out: w.Out}
	}
	w.Guard = func(id string) error { return hook.Guard(w.Store, id) }
	return w, nil
}

// failed returns the answer for a run that wrote nothing, or put back what it wrote, and keeps the reason.
func (m *Member) failed(d *desk, err error) (*wire.End, error) {
	end := &wire.End{State: wire.Failed}
	var proof *hook.ProofError
	var torn *transaction.NotPutBackError
	switch {
	case errors.As(err, &torn):
		end.State = wire.Left
	case errors.As(err, &proof):
	case exit.Of(err) == exit.Refused:
		end.State = wire.Refused
	}
	if saveErr := d.save(d.path(failedSuffix), text(string(end.State)+": "+err.Error()+"\n")); saveErr != nil {
		err = errors.Join(err, saveErr)
	}
	return end, err
}

// runOf returns the last run of the fleet's run here, nil if there is none, and all records.
func (d *desk) runOf() (last *store.Record, records []*store.Record, err error) {
	records, damaged, err := d.store.Runs()
	for _, r := range records {
		if r.Fleet == d.run && r.Kind == store.Apply {
			last = r
		}
	}
	if err == nil && last == nil && len(damaged) > 0 {
		return nil, nil, exit.With(exit.Unreadable, damaged[0].Reason)
	}
	return last, records, err
}

// patience is how often a host looks whether a run that is being written has ended.
const patience = 100 * time.Millisecond

// ask returns what became of the run here. It waits for one that is being written, and recovers one that was cut off.
func (m *Member) ask(ctx context.Context, d *desk) (*wire.End, error) {
	if d.run == "" {
		return nil, badRequest("run")
	}
	for d.store.BeingWritten() {
		select {
		case <-ctx.Done():
			return nil, ctx.Err()
		case <-time.After(patience):
		}
	}
	if _, err := usecase.Recover(ctx, m.Write); err != nil {
		return nil, err
	}
	r, records, err := d.runOf()
	if err != nil {
		return nil, err
	}
	if r == nil {
		if d.has(sealSuffix) {
			return &wire.End{State: wire.Reviewed, Digest: d.read(digestSuffix), Error: d.read(failedSuffix)}, nil
		}
		return &wire.End{State: wire.Nothing}, nil
	}
	return d.became(r, records)
}

// became returns the state of a run in the history.
func (d *desk) became(r *store.Record, records []*store.Record) (*wire.End, error) {
	end := &wire.End{Run: r.Name(), Files: r.Targets(), Changes: r.Changes}
	undone, err := history.Undone(records)
	if err != nil {
		return nil, err
	}
	switch state := r.State(); {
	case state == store.PutBack && d.has(failedSuffix):
		end.State, end.Error, end.Status = wire.Failed, d.read(failedSuffix), int(exit.Refused)
	case state == store.PutBack:
		end.State = wire.PutBack
	case state.Unfinished():
		end.State, end.Error, end.Status = wire.Left, "it was cut off, and could not be put back yet; frizzel recover says more there", int(exit.InPart)
	case state == store.Lapsed:
		end.State = wire.Expired
	case undone[r.ID] > 0:
		end.State = wire.Undone
	case state == store.Held:
		end.State, end.Until = wire.Held, r.HeldUntil()
	default:
		end.State = wire.Done
	}
	return end, nil
}

// undo takes the run back, or forgets its review.
func (m *Member) undo(ctx context.Context, d *desk, later bool) (*wire.End, error) {
	end, err := m.ask(ctx, d)
	if err != nil {
		return end, err
	}
	switch end.State {
	case wire.Reviewed:
		d.forget()
		return &wire.End{State: wire.Nothing}, nil
	case wire.Done, wire.Held:
	default:
		return end, nil
	}
	r, _, err := d.runOf()
	if err != nil {
		return nil, err
	}
	o := usecase.UndoOptions{Kind: store.Undo, Names: []string{r.ID}, Write: m.Write}
	o.Write.Fleet = d.run
	if later {
		o.Later = usecase.TakeLater
	}
	taken, err := usecase.Undo(ctx, o)
	if err != nil {
		return nil, err
	}
	end = &wire.End{State: wire.Undone, Files: taken.Files}
	if taken.Run != nil {
		end.Run = taken.Run.Name()
	}
	if len(taken.Left) > 0 {
		end.State, end.Status = wire.Left, int(exit.InPart)
		end.Error = "left alone: " + report.Path(string(taken.Left[0].Path)) + ": " + taken.Left[0].Reason
	}
	return end, nil
}

// hold keeps a run on hold, or has its time begin anew.
func (m *Member) hold(ctx context.Context, d *desk, op wire.Op) (*wire.End, error) {
	end, err := m.ask(ctx, d)
	if err != nil || end.State != wire.Held {
		return end, err
	}
	r, records, err := d.runOf()
	if err != nil {
		return nil, err
	}
	l, err := d.store.Lock(ctx)
	if err != nil {
		return nil, err
	}
	defer l.Unlock()
	if op == wire.Keep {
		r, err = hold.Keep(l, r.ID)
	} else {
		r, err = hold.Renew(l, r.ID)
	}
	if err != nil {
		return nil, exit.With(exit.Refused, err)
	}
	return d.became(r, records)
}
