package lsp

import (
	"context"
	"fmt"
	"strings"
	"time"

	"frizzel/core/assist"
	"frizzel/core/compile"
	"frizzel/core/script"
	"frizzel/internal/rules"
)

// How long typing rests before the script is checked, and before its examples are run.
const (
	restForCheck    = 120 * time.Millisecond
	restForExamples = 400 * time.Millisecond
)

// checked are the problems of one version of a document.
type checked struct {
	of  *text
	all []finding
}

// A finding is a problem with its place in bytes.
type finding struct {
	diagnostic
	start, end int
	remedy     string
	fixes      []script.Fix
}

// check checks all open documents in the background, since each may use the one that changed. A check under way ends.
func (s *server) check() {
	s.mu.Lock()
	defer s.mu.Unlock()
	for uri, t := range s.texts {
		if stop := s.checks[uri]; stop != nil {
			stop()
		}
		ctx, stop := context.WithCancel(s.ctx)
		s.checks[uri] = stop
		go s.checkOne(ctx, t)
	}
}

// checkOne checks a document when typing rests, and runs its examples a little later.
func (s *server) checkOne(ctx context.Context, t *text) {
	if !rests(ctx, restForCheck) {
		return
	}
	parsed, problems := t.Parsed()
	c, err := rules.CheckText(parsed, problems, func(name string) (string, bool) {
		if open := s.opened(name); open != nil {
			return open.Text, true
		}
		return "", false
	})
	if err != nil || ctx.Err() != nil {
		return
	}
	s.publish(ctx, t, c.Problems, nil)
	if len(c.Problems.Errors()) > 0 || !c.HasExamples() || !rests(ctx, restForExamples) {
		return
	}
	trials, more := c.Examples()
	s.publish(ctx, t, append(c.Problems, more...), trials)
}

// rests waits, and reports whether nothing was typed meanwhile.
func rests(ctx context.Context, d time.Duration) bool {
	select {
	case <-time.After(d):
		return ctx.Err() == nil
	case <-ctx.Done():
		return false
	}
}

// publish sends the problems of a document, and keeps them for quick fixes.
func (s *server) publish(ctx context.Context, t *text, problems script.Problems, trials []*compile.Trial) {
	found := &checked{of: t}
	for _, p := range problems {
		found.all = append(found.all, t.finding(p))
	}
	for _, trial := range trials {
		if !trial.Passed() {
			found.all = append(found.all, t.failed(trial))
		}
	}
	params := publishParams{URI: t.uri, Version: t.version, Diagnostics: []diagnostic{}}
	for _, f := range found.all {
		params.Diagnostics = append(params.Diagnostics, f.diagnostic)
	}
	s.mu.Lock()
	current := s.texts[t.uri] == t && ctx.Err() == nil
	if current {
		if s.problems == nil {
			s.problems = map[string]*checked{}
		}
		s.problems[t.uri] = found
	}
	s.mu.Unlock()
	if current {
		_ = s.rpc.Notify(s.ctx, "textDocument/publishDiagnostics", params) // the session may have ended
	}
}

// finding returns a problem with its place. One of another script is shown where the document uses it.
func (t *text) finding(p script.Problem) finding {
	f := finding{remedy: p.Remedy, fixes: p.Fixes}
	message := p.Reason
	switch {
	case p.Source != nil && p.Source.Name != t.Name:
		message, f.fixes = p.Error(), nil
		for _, n := range t.Names() {
			if n.Kind == assist.ScriptName && t.Beside(n.Text) == p.Source.Name {
				f.start, f.end = n.Start, n.End
			}
		}
	case p.Pos.Line > 0:
		f.start, f.end = t.at(p.Pos.Line, p.Pos.Column), t.at(p.Pos.Line, p.Pos.Column+p.Pos.Width)
	}
	if p.Remedy != "" {
		message += "\n" + p.Remedy
	}
	f.diagnostic = diagnostic{t.span(f.start, f.end), severityError, "frizzel", message}
	if p.Severity == script.Warning {
		f.Severity = severityWarning
	}
	return f
}

// failed returns an example that failed as a finding.
func (t *text) failed(trial *compile.Trial) finding {
	pos := trial.Example.Pos
	f := finding{start: t.at(pos.Line, pos.Column), end: t.at(pos.Line, pos.Column+len("example"))}
	message := "this example fails"
	if len(trial.Failed) > 0 {
		message += ": " + trial.Failed[0]
	} else {
		want, got := firstDifference(trial.Want, trial.Got)
		message += fmt.Sprintf("\nit wants %q\nbut gives %q", script.Shorten(want), script.Shorten(got))
	}
	f.diagnostic = diagnostic{t.span(f.start, f.end), severityError, "frizzel", message}
	return f
}

// firstDifference returns the first lines in which two texts differ.
func firstDifference(want, got string) (a, b string) {
	for want != "" || got != "" {
		a, want, _ = strings.Cut(want, "\n")
		b, got, _ = strings.Cut(got, "\n")
		if a != b {
			return a, b
		}
	}
	return a, b
}
