package usecase

import (
	"context"
	"errors"
	"io"
	"io/fs"

	"frizzel/core/diff"
	"frizzel/internal/change"
	"frizzel/internal/exit"
	"frizzel/internal/rules"
	"frizzel/internal/run"
	"frizzel/internal/seal"
	"frizzel/internal/spool"
	"frizzel/internal/vault/store"
	"frizzel/internal/vault/transaction"
)

// A Sealing stores a review while it is made.
type Sealing struct {
	Rules *rules.Compiled
	// Signer signs the seal; nil leaves it unsigned.
	Signer *seal.Signer
	// Diff writes a file's changes for a person, without hidden text.
	Diff func(io.Writer, *run.Result) error

	kept spool.Buffer
	seal *seal.Writer
}

// Add adds the result for a file.
func (s *Sealing) Add(r *run.Result) error {
	if err := s.begin(); err != nil {
		return err
	}
	if !r.Writes() { // it moves with a directory
		return nil
	}
	c := r.Change()
	if !r.HasContent() {
		return s.seal.AddName(c, r.Changes(), func(out io.Writer) error { return s.Diff(out, r) })
	}
	return s.seal.Add(r.At.Path, c.NewName, r.Changes(), r.Open, c.Edits, func(out io.Writer) error { return s.Diff(out, r) })
}

func (s *Sealing) begin() (err error) {
	if s.seal == nil {
		about := seal.New(s.Rules.Program.Title)
		about.Sources, about.Values, about.Rules = s.Rules.Sources, s.Rules.Values, s.Rules.Labels
		s.seal, err = seal.NewWriter(&s.kept, about)
	}
	return err
}

// WriteTo writes the sealed review.
func (s *Sealing) WriteTo(out io.Writer) (int64, error) {
	if err := s.begin(); err != nil {
		return 0, err
	}
	if err := s.seal.Close(); err != nil {
		return 0, err
	}
	return seal.Write(out, &s.kept, s.Signer)
}

// ReadSeal reads a sealed review.
func ReadSeal(path string) (*seal.Seal, error) {
	s, err := seal.Read(path)
	var damaged *seal.DamagedError
	switch {
	case errors.As(err, &damaged):
		return nil, exit.With(exit.Refused, err)
	case errors.Is(err, fs.ErrNotExist):
		return nil, exit.Wrongf("there is no sealed review %q", path)
	case err != nil:
		return nil, exit.Wrongf("%w", err)
	}
	return s, nil
}

// ApplySealOptions say which sealed review is to be written.
type ApplySealOptions struct {
	Seal  *seal.Seal
	Write Writing
	// Take is called for each file, with the number of its changes and its diff.
	// to is the path that the file has afterwards.
	Take  func(c *change.Change, to string, changes int, text diff.Windows) (bool, error)
	Taken func() error // is called when all were asked about, before anything is written; nil for nothing
}

// SealApplied is the result of ApplySeal.
type SealApplied struct {
	Run   *store.Record // nil if nothing was written
	Files int           // written
	Done  int           // files that are the result already
	Count int           // changes written
}

// ApplySeal writes exactly the reviewed contents. If a file has neither its reviewed old nor its new content,
// nothing is written, and the error is a refusal that names all such files.
func ApplySeal(ctx context.Context, o ApplySealOptions) (*SealApplied, error) {
	if _, err := Recover(ctx, o.Write); err != nil {
		return nil, err
	}
	st, err := o.Seal.Stand(o.Write.Store.System)
	if err != nil {
		return nil, err
	}
	if len(st.Differ) > 0 {
		reasons := []string{"nothing was written: these files are not what was reviewed"}
		for _, path := range st.Differ {
			reasons = append(reasons, "  "+path)
		}
		return nil, exit.Refusals(reasons)
	}
	a, moves := &SealApplied{Done: len(st.Done)}, o.Seal.Moves()
	changes := &change.Spooled{}
	for i := range st.Changes {
		c := &st.Changes[i]
		take, err := o.Take(c, moves.Shown(c.Path, c.Absolute(), c.NewName), st.Counts[i], c.Windows(o.Write.Store.System))
		if err != nil {
			return a, err
		}
		if take {
			a.Count += st.Counts[i]
			if err := changes.Add(*c); err != nil {
				return a, err
			}
		}
	}
	if o.Taken != nil {
		if err := o.Taken(); err != nil {
			return a, err
		}
	}
	a.Run, err = o.Write.write(ctx, transaction.Intent{Kind: store.Apply, Rules: o.Seal.Rules, Changes: a.Count}, changes)
	if a.Run != nil {
		a.Files = changes.Len()
	}
	return a, err
}
