package usecase

import (
	"context"

	"frizzel/core/program"
	"frizzel/internal/run"
)

// SurveyOptions are the options of Survey.
type SurveyOptions struct {
	Plan *run.Plan
	// Answer returns the answer to a proposal for a file, by the file's path.
	Answer func(path string, p program.Proposal) program.Answer
	// Take is called with each file that changes, in path order, and with the proposals that were accepted. valueAt returns
	// the path of the value at a byte of a proposal's text, or "".
	Take func(r *run.Result, proposals []program.Proposal, valueAt func(text []byte, at int) string) error
}

// Survey runs rules with answers that were given beforehand. It writes nothing.
func Survey(ctx context.Context, o SurveyOptions) (*Previewed, error) {
	p := &Previewed{}
	all, s, err := o.Plan.Collect(ctx)
	if p.Summary = s; err != nil {
		return p, err
	}
	for _, pending := range all {
		if pending.Refuse == nil {
			if err := o.file(ctx, pending); err != nil {
				return p, err
			}
		}
		if pending.Refuse != nil {
			p.Refuses = append(p.Refuses, refusal(pending.At.Path, pending.Refuse))
		}
	}
	s.Recount(all)
	p.Refuses = append(p.Refuses, namesRefused(o.Plan)...)
	p.Refuses = append(p.Refuses, s.Tally.Unmet()...)
	return p, nil
}

func (o *SurveyOptions) file(ctx context.Context, pending *run.Pending) error {
	var proposals []program.Proposal
	err := pending.Decide(ctx, func(p program.Proposal) program.Answer {
		answer := o.Answer(pending.At.Path, p)
		if !answer.Leave {
			p.Edits = p.Answered(answer)
			proposals = append(proposals, p)
		}
		return answer
	})
	if err != nil || pending.Refuse != nil || pending.Changes == 0 {
		return err
	}
	r, err := pending.Result(ctx)
	if err != nil {
		return err
	}
	return o.Take(r, proposals, pending.ValueAt)
}
