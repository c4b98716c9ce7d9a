package member

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"hash"
	"slices"
	"strings"

	"frizzel/core/compile"
	"frizzel/core/lines"
	"frizzel/core/program"
	"frizzel/core/script"
	"frizzel/internal/exit"
	"frizzel/internal/fleet/wire"
	"frizzel/internal/report"
	"frizzel/internal/rules"
	"frizzel/internal/run"
	"frizzel/internal/usecase"
)

// Limits on what is sent for a review.
const (
	maxDiff    = 8 << 20 // bytes of a file's diff
	maxDetails = 2 << 20 // bytes of the lines around a file's changes; of the further ones only their keys are sent
	around     = 6       // lines of context
)

// A previewing is the review of this host's files.
type previewing struct {
	*Member
	desk    *desk
	request *wire.Request
	rules   *rules.Compiled
	shown   *drawing            // as it is sent
	whole   *drawing            // before anything is hidden; the same if nothing is
	general map[string]*general // by path
	sealing *usecase.Sealing    // nil if nothing is kept
	answers map[string]map[program.Key]program.Answer
	digest  hash.Hash
	files   int
}

// A general is a file's changes with marks around the values that differ between hosts.
type general struct {
	diff      []byte
	proposals []program.Proposal
}

// A drawing writes diffs.
type drawing struct {
	*report.Printer
	text bytes.Buffer
}

func newDrawing(rules *rules.Compiled, context int) *drawing {
	d := &drawing{}
	d.Printer = &report.Printer{Out: &d.text, Err: &d.text, Context: context, Rules: rules.Labels}
	return d
}

// diff returns a file's diff.
func (d *drawing) diff(r *run.Result) ([]byte, error) {
	d.text.Reset()
	if err := d.Result(r); err != nil {
		return nil, err
	}
	if d.text.Len() > maxDiff {
		return nil, exit.Refusedf("the diff of %s is longer than %d MiB, which is too much to send; preview it there", r.At.Path, maxDiff>>20)
	}
	return bytes.Clone(d.text.Bytes()), nil
}

func (m *Member) preview(ctx context.Context, d *desk, request *wire.Request) (*wire.End, error) {
	if request.Rules == nil || request.Files == nil {
		return nil, badRequest("rules or files")
	}
	p := &previewing{Member: m, desk: d, request: request, digest: sha256.New()}
	if err := p.prepare(ctx); err != nil {
		return nil, err
	}
	plan, err := m.plan(request, p.rules)
	if err != nil {
		return nil, err
	}
	var done *usecase.Previewed
	if request.Run == "" {
		done, err = usecase.Preview(ctx, usecase.PreviewOptions{Plan: plan, Show: func(r *run.Result) error { return p.file(r, nil, nil) }})
	} else {
		done, err = p.survey(ctx, plan, p.file)
	}
	if err != nil {
		return nil, err
	}
	return p.end(done)
}

// prepare compiles the rules, and makes what the files' changes go to.
func (p *previewing) prepare(ctx context.Context) (err error) {
	request := p.request
	if p.rules, err = request.Rules.Compile(request.Values, nil); err != nil {
		return err
	}
	p.whole = newDrawing(p.rules, request.Context)
	p.shown = p.whole
	if len(request.Hide) > 0 {
		p.shown = newDrawing(p.rules, request.Context)
		for _, h := range request.Hide {
			hidden, problems := compile.Pattern("--hide", h)
			if len(problems) > 0 {
				return problems
			}
			p.shown.Hidden = append(p.shown.Hidden, hidden)
		}
	}
	p.answers = map[string]map[program.Key]program.Answer{}
	for _, a := range request.Answers {
		if p.answers[a.Path] == nil {
			p.answers[a.Path] = map[program.Key]program.Answer{}
		}
		p.answers[a.Path][program.Key(a.Key)] = program.Answer{Leave: a.Leave, New: p.filled(a.New)}
	}
	if request.Run != "" {
		if err := p.desk.open(ctx); err != nil {
			return err
		}
		p.sealing = &usecase.Sealing{Rules: p.rules, Diff: p.whole.Text}
	}
	if len(request.Differs) > 0 {
		return p.generalize(ctx)
	}
	return nil
}

// filled returns a text that a person wrote, with this host's values where it names one that differs between hosts.
func (p *previewing) filled(text []byte) []byte {
	if text == nil {
		return nil
	}
	for _, name := range p.request.Differs {
		text = bytes.ReplaceAll(text, []byte("{="+name+"}"), []byte(p.request.Values[name]))
	}
	return text
}

// plan returns which files are meant.
func (m *Member) plan(request *wire.Request, rules *rules.Compiled) (*run.Plan, error) {
	f := request.Files
	return usecase.NewPlan(usecase.Files{
		Paths: f.Paths, Only: f.Only, Not: f.Not, Depth: f.Depth, NoHidden: f.NoHidden, NoDocuments: f.NoDocuments,
		Follow: f.Follow, OneFileSystem: f.OneFileSystem, MaxSize: f.MaxSize, Encoding: f.Encoding, Store: m.Write.Store,
	}, rules)
}

// Marks around a value, and between its parameter and it, in the diff of rules that mark what they write.
const (
	markBegin = "\uE0F0"
	markValue = "\uE0F1"
	markEnd   = "\uE0F2"
)

// generalize draws the diffs with the values that differ between hosts named by their parameters, for what is the same
// on several hosts but for these. The rules run with marks around such values. Where that changed anything else, which
// is seen when the marks are taken out again, the diff stays as it is.
func (p *previewing) generalize(ctx context.Context) error {
	rules, err := p.request.Rules.Compile(p.request.Values, func(param, value string) string {
		if !slices.Contains(p.request.Differs, param) {
			return value
		}
		return markBegin + param + markValue + value + markEnd
	})
	if err != nil {
		return nil // marks are no valid values there
	}
	plan, err := p.plan(p.request, rules)
	if err != nil {
		return err
	}
	p.general = map[string]*general{}
	drawn := newDrawing(rules, p.request.Context)
	drawn.Hidden = p.shown.Hidden // what it does not find for the marks differs from what is shown
	take := func(r *run.Result, proposals []program.Proposal, _ func([]byte, int) string) error {
		text, err := drawn.diff(r)
		p.general[r.At.Path] = &general{text, proposals}
		return err
	}
	if p.request.Run == "" {
		_, err = usecase.Preview(ctx, usecase.PreviewOptions{Plan: plan, Show: func(r *run.Result) error { return take(r, nil, nil) }})
	} else {
		_, err = p.survey(ctx, plan, take)
	}
	return err
}

// survey runs the rules with the answers of the request.
func (p *previewing) survey(ctx context.Context, plan *run.Plan, take func(*run.Result, []program.Proposal, func([]byte, int) string) error) (*usecase.Previewed, error) {
	return usecase.Survey(ctx, usecase.SurveyOptions{Plan: plan, Take: take, Answer: func(path string, c program.Proposal) program.Answer {
		return p.answers[path][c.Key]
	}})
}

// named writes the parameters into the details of a file's changes, where the values are marked and nothing else differs.
func (g *general) named(details []wire.Change) {
	if len(g.proposals) != len(details) {
		return
	}
	for i := range details {
		d, marked := &details[i], detail(g.proposals[i], &wire.File{})
		if d.Key != marked.Key || !bytes.Equal(d.Text, marked.Text) || len(d.Edits) != len(marked.Edits) {
			continue
		}
		for j := range d.Edits {
			if text := string(marked.Edits[j].New); unmark(text, true) == string(d.Edits[j].New) {
				d.Edits[j].New = []byte(unmark(text, false))
			}
		}
	}
}

// unmark returns a text without its marks, with the values or with the parameters.
func unmark(text string, values bool) string {
	var b strings.Builder
	for {
		before, rest, found := strings.Cut(text, markBegin)
		b.WriteString(before)
		if !found {
			return b.String()
		}
		param, rest, _ := strings.Cut(rest, markValue)
		value, rest, _ := strings.Cut(rest, markEnd)
		if values {
			b.WriteString(value)
		} else {
			b.WriteString("{=" + param + "}")
		}
		text = rest
	}
}

// file sends the changes of a file.
func (p *previewing) file(r *run.Result, proposals []program.Proposal, valueAt func(text []byte, at int) string) error {
	if p.sealing != nil {
		if err := p.sealing.Add(r); err != nil {
			return err
		}
	}
	if !r.Writes() {
		return nil
	}
	whole, err := p.whole.diff(r)
	if err != nil {
		return err
	}
	fmt.Fprintf(p.digest, "%d %s%d %s%d ", len(r.At.Path), r.At.Path, len(r.NewPath()), r.NewPath(), len(whole))
	p.digest.Write(whole)
	f := &wire.File{Path: r.At.Path, To: r.NewPath(), Count: r.Changes(), Diff: whole, Rules: r.Made.Changes}
	if p.shown != p.whole {
		if f.Diff, err = p.shown.diff(r); err != nil {
			return err
		}
	}
	for _, c := range proposals {
		change := detail(c, f)
		if c.Of == script.Content && len(c.Edits) > 0 {
			change.Value = valueAt(c.Text, c.Edits[0].Start)
		}
		f.Changes = append(f.Changes, change)
	}
	if g := p.general[f.Path]; g != nil && unmark(string(g.diff), true) == string(f.Diff) {
		f.Diff = []byte(unmark(string(g.diff), false))
		g.named(f.Changes)
	}
	p.files++
	return p.send(wire.Message{File: f})
}

// detail returns a proposal with the lines around it.
func detail(p program.Proposal, f *wire.File) wire.Change {
	c := wire.Change{Key: wire.Key(p.Key), Of: int(p.Of), Rule: p.Rule, Line: p.Line}
	sent := 0
	for _, other := range f.Changes {
		sent += len(other.Text)
	}
	if len(p.Edits) == 0 || sent > maxDetails {
		return c
	}
	start := lines.Start(p.Text, 0, p.Edits[0].Start)
	last := p.Edits[len(p.Edits)-1].End
	end := lines.Next(p.Text, max(p.Edits[0].Start, last-1), len(p.Text))
	start, end = lines.Above(p.Text, start, around), lines.Below(p.Text, end, around)
	if end-start > maxDetails {
		return c
	}
	c.Text = p.Text[start:end]
	for _, e := range p.Edits {
		c.Edits = append(c.Edits, wire.Edit{Start: e.Start - start, End: e.End - start, New: e.New})
	}
	return c
}

// end stores the review, if it is to be written later, and returns the last message.
func (p *previewing) end(done *usecase.Previewed) (*wire.End, error) {
	s := done.Summary
	end := &wire.End{Digest: hex.EncodeToString(p.digest.Sum(nil)), Read: s.Read, Files: p.files, Changes: s.Changes, Refuses: done.Refuses}
	p.shown.text.Reset()
	p.shown.Remarks(s)
	end.Remarks = p.shown.Masked(p.shown.text.String())
	for i, r := range end.Refuses {
		end.Refuses[i] = p.shown.Masked(r)
	}
	switch bad := s.Unreadable(); {
	case len(end.Refuses) > 0:
		end.Status = int(exit.Refused)
		return end, nil
	case len(bad) > 0:
		end.Status, end.Error = int(exit.Unreadable), fmt.Sprintf("%s could not be read", report.Count(len(bad), "file"))
		return end, nil
	}
	if p.sealing != nil && p.files > 0 {
		if err := p.desk.keep(p.sealing, end.Digest); err != nil {
			return nil, err
		}
		end.State = wire.Reviewed
	}
	return end, nil
}
