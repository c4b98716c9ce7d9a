package usecase

import (
	"fmt"
	"slices"

	"frizzel/core/program"
	"frizzel/core/revision"
	"frizzel/core/script"
	"frizzel/core/textfile"
	"frizzel/internal/exit"
	"frizzel/internal/rules"
	"frizzel/internal/run"
	"frizzel/internal/values"
)

// stampRules are the further rules. They run over all new files as one run: counts, expectations and pseudonyms
// span all of them, as they do in an apply.
type stampRules struct {
	*rules.Parsed
	compiled *rules.Compiled // with the values of the current row
	warnings script.Problems
	summary  *run.Summary
	refuses  []string
}

func newStampRules(r rules.Given) (*stampRules, error) {
	r.Values = nil // they serve the templates too, so the scripts need not know them all
	read, err := r.Parse()
	return &stampRules{Parsed: read}, err
}

// over runs the rules over a filled-in template. all are the values of the row.
func (r *stampRules) over(text []byte, file program.File, row values.Row, all map[string]string) ([]byte, error) {
	if len(r.Scripts) == 0 {
		return text, nil
	}
	if err := r.compileFor(row, all); err != nil {
		return nil, err
	}
	p := r.compiled.Program
	if p.Named() {
		return nil, exit.Wrongf("stamp makes files under the names of --to, and the rules would rename them")
	}
	decoded, err := textfile.Decode(text, textfile.Said{Encoding: p.Encoding(file), Name: file.Path})
	if err != nil {
		return nil, exit.Wrongf("row %d: %s: %w", row.Number, file.Path, err)
	}
	rev := revision.Of(p, decoded, program.Input{File: file, Before: r.summary.Tally.Counters()})
	r.summary.Read++
	r.summary.Tally.Add(file.Path, rev.Made)
	for _, n := range rev.Made.Notes {
		r.summary.Notes = append(r.summary.Notes, run.FileNote{Path: file.Path, Note: n})
	}
	if rev.Refuse != nil {
		r.refuses = append(r.refuses, fmt.Sprintf("%s: %v", file.Path, rev.Refuse))
		return text, nil
	}
	return rev.Raw.Apply(text), nil
}

// compileFor compiles the rules for a row, or returns the previous result if the rules do not use its values.
func (r *stampRules) compileFor(row values.Row, all map[string]string) error {
	if r.compiled != nil && !slices.ContainsFunc(r.compiled.Program.Params, func(p program.Param) bool {
		_, ok := row.Values[p.Name]
		return ok
	}) {
		return nil
	}
	compiled, err := r.Compile(all)
	if err != nil {
		return err
	}
	if r.compiled == nil {
		r.warnings, r.summary = compiled.Warnings, &run.Summary{Tally: compiled.Program.NewTally()}
	}
	r.compiled = compiled
	return nil
}

// has reports whether a script has a parameter.
func (r *stampRules) has(name string) bool {
	return r.compiled != nil && slices.ContainsFunc(r.compiled.Program.Params, func(p program.Param) bool { return p.Name == name })
}

// tell reports the result; the error is a refusal if it must not be written.
func (r *stampRules) tell(all *Stamps) error {
	if r.compiled == nil {
		return nil
	}
	if reasons := append(r.summary.Tally.Unmet(), r.refuses...); len(reasons) > 0 {
		return exit.Refusals(reasons)
	}
	all.Warnings, all.Rules, all.Labels = r.warnings, r.summary, r.compiled.Labels
	return nil
}
