package report

import (
	_ "embed"
	"fmt"
	"html/template"
	"maps"
	"os"
	"slices"
	"strings"
	"time"

	"frizzel/core/diff"
	"frizzel/core/program"
	"frizzel/internal/run"
	"frizzel/internal/terminal"
)

//go:embed page.html
var pageText string

var pageTemplate = template.Must(template.New("page").Parse(pageText))

// Page is a preview as one page that needs nothing else, for a change request.
type Page struct {
	Title, Time, Host, Folder string
	Counted, Skipped          string
	Params                    []program.Param
	Rules                     []pageRule
	Refuses                   []string
	Files                     []pageFile

	printer *Printer
	program *program.Program
}

type pageRule struct {
	Label, About   string
	Changes, Files int
}

type pageFile struct {
	Path, Changes string
	Document      bool
	Hunks         []pageHunk
}

type pageHunk struct {
	Place string
	Lines []pageLine
}

type pageLine struct {
	Class, Sign string
	Parts       []pagePart
}

type pagePart struct {
	Text string
	Mark bool
}

// NewPage begins a page about what a program would do.
func NewPage(printer *Printer, p *program.Program) *Page {
	page := &Page{printer: printer, program: p, Title: p.Title, Time: time.Now().Format("2006-01-02 15:04")}
	page.Host, _ = os.Hostname()
	page.Folder, _ = os.Getwd()
	page.Params = slices.Clone(p.Params)
	for i := range page.Params {
		for _, hidden := range printer.Hidden {
			if text := masked(hidden, []byte(page.Params[i].Value)); text != nil {
				page.Params[i].Value = string(text)
			}
		}
	}
	return page
}

// Result adds one file's changes.
func (page *Page) Result(r *run.Result) error {
	f := pageFile{Path: r.At.Path, Changes: Count(r.Changes(), "change"), Document: r.IsDocument()}
	values := r.Values()
	w := diff.Walk{Context: page.printer.Context, Hunk: func(h *diff.Hunk, _ bool) error {
		page.printer.mask(h)
		hunk := pageHunk{Place: strings.TrimSpace(h.Header() + "  " + page.printer.about(*h, values))}
		returns := mixedEndings(*h)
		for _, l := range h.Lines {
			hunk.Lines = append(hunk.Lines, pageLineOf(l, returns))
		}
		f.Hunks = append(f.Hunks, hunk)
		return nil
	}}
	err := r.Text(page.printer.Context)(w.Add)
	if err == nil {
		err = w.End()
	}
	page.Files = append(page.Files, f)
	return err
}

func pageLineOf(l diff.Line, returns bool) pageLine {
	out := pageLine{Sign: string(l.Op)}
	switch l.Op {
	case diff.Remove:
		out.Class = "old"
	case diff.Add:
		out.Class = "new"
	}
	text := shownLine(l.Text, returns)
	at := 0
	for _, m := range l.Marks {
		from, to := min(m[0], len(text)), min(m[1], len(text))
		if from == 0 && to == len(text) {
			break
		}
		out.Parts = append(out.Parts, pagePart{Text: terminal.Visible(text[at:from])}, pagePart{terminal.Visible(text[from:to]), true})
		at = to
	}
	out.Parts = append(out.Parts, pagePart{Text: terminal.Visible(text[at:])})
	return out
}

// End returns the page's text. refuses are why an apply would write nothing.
func (page *Page) End(s *run.Summary, refuses []string) (string, error) {
	page.Refuses = refuses
	page.Counted = fmt.Sprintf("%s read, %s would change: %s.", Read(s), Number(s.Changed), Count(s.Changes, "change"))
	for i, r := range page.program.Rules {
		if s.Tally.Changes[i] > 0 && page.printer.Rules[i] != "" {
			page.Rules = append(page.Rules, pageRule{r.Label, r.About, s.Tally.Changes[i], s.Tally.Files[i]})
		}
	}
	reasons := s.Reasons()
	var parts []string
	for _, r := range slices.Sorted(maps.Keys(reasons)) {
		parts = append(parts, r.Count(reasons[r]))
	}
	page.Skipped = strings.Join(parts, ", ")
	var b strings.Builder
	err := pageTemplate.Execute(&b, page)
	return b.String(), err
}
