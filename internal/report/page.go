package report

import (
	"bytes"
	"crypto/sha256"
	_ "embed"
	"encoding/base64"
	"fmt"
	"html/template"
	"io"
	"maps"
	"os"
	"slices"
	"strings"
	"sync"
	"time"

	"frizzel/core/diff"
	"frizzel/core/program"
	"frizzel/internal/digest"
	"frizzel/internal/run"
	"frizzel/internal/spool"
	"frizzel/internal/terminal"
)

//go:embed page.html
var pageText string

//go:embed page.js
var pageScript string

var pageTemplate = sync.OnceValue(func() *template.Template { return template.Must(template.New("page").Parse(pageText)) })

// scriptDigest is that of the one script that the page lets run.
var scriptDigest = sync.OnceValue(func() string {
	sum := sha256.Sum256([]byte(pageScript))
	return "sha256-" + base64.StdEncoding.EncodeToString(sum[:])
})

// Page is a preview as one page that needs nothing else, for a change request. Its files are
// written as they come; it is closed when it is not wanted any more.
type Page struct {
	Title, Time, Host, Dir string
	Counted, Skipped       string
	Params                 []program.Param
	Rules                  []pageRule
	Sources                []pageSource
	Refuses                []string
	Notes                  []string
	Index                  []pageFile
	ScriptDigest           template.HTMLAttr

	printer *Printer
	program *program.Program
	files   spool.Buffer
}

type pageRule struct {
	Label, About   string
	Changes, Files int
}

type pageSource struct{ Name, Lines, Text string }

// pageFile is a file in the page's index. Of its digests the index has the beginnings.
type pageFile struct {
	Path           string
	Document       bool
	Changes        int
	Added, Removed int // lines
	Before, After  string
}

// openFiles is the number of files that are expanded when the page opens.
const openFiles = 20

type pageLine struct {
	Class, Sign string
	Number      int
	Parts       []pagePart
}

type pagePart struct {
	Text string
	Mark bool
}

// NewPage returns a page about the changes of a program. sources are the texts of its scripts and tables by name.
func NewPage(printer *Printer, p *program.Program, sources map[string]string) *Page {
	page := &Page{printer: printer, program: p, Title: printer.Masked(p.Title), Time: time.Now().Format("2006-01-02 15:04"), ScriptDigest: template.HTMLAttr(scriptDigest())}
	page.Host, _ = os.Hostname()
	page.Dir, _ = os.Getwd()
	page.Params = slices.Clone(p.Params)
	for i := range page.Params {
		page.Params[i].Value = printer.Masked(page.Params[i].Value)
		page.Params[i].About = printer.Masked(page.Params[i].About)
	}
	for _, name := range slices.Sorted(maps.Keys(sources)) {
		text := sources[name]
		page.Sources = append(page.Sources, pageSource{name, Count(strings.Count(text, "\n"), "line"), printer.Masked(text)})
	}
	return page
}

// Digests reports whether any file has digests to show.
func (page *Page) Digests() bool {
	return slices.ContainsFunc(page.Index, func(f pageFile) bool { return f.Before != "" })
}

// Close releases the page.
func (page *Page) Close() { page.files.Close() }

// Result adds one file's changes.
func (page *Page) Result(r *run.Result) error {
	if !r.Writes() { // its directory is on the page
		return nil
	}
	var before, after digest.Digest
	var err error
	if r.HasContent() {
		if before, after, err = r.SHA256(); err != nil {
			return err
		}
	}
	f := &filePage{Page: page, values: r.Values()}
	defer f.body.Close()
	if err := f.texts(r); err != nil {
		return err
	}
	w := diff.Walk{Context: page.printer.Context, Most: longHunk, Hunk: f.hunk}
	if err = r.Text(page.printer.Context)(w.Add); err == nil {
		err = w.End()
	}
	if err != nil {
		return err
	}
	of := pageFile{
		Path: page.named(r), Changes: r.Changes(), Document: r.IsDocument(), Added: f.added, Removed: f.removed,
	}
	if digests := len(page.printer.Hidden) == 0 && r.HasContent(); digests { // else a short secret could be guessed from them
		of.Before, of.After = before.Hex()[:12], after.Hex()[:12]
	}
	page.Index = append(page.Index, of)
	head := struct {
		pageFile
		Number  int
		Open    bool
		Counted string
		Whole   pageFile
	}{of, len(page.Index) - 1, len(page.Index) <= openFiles, Count(of.Changes, "change"), of}
	if of.Before != "" {
		head.Whole.Before, head.Whole.After = before.Hex(), after.Hex()
	}
	if err := pageTemplate().ExecuteTemplate(&page.files, "file", head); err != nil {
		return err
	}
	if _, err := f.body.WriteTo(&page.files); err != nil {
		return err
	}
	_, err = io.WriteString(&page.files, "</details>\n")
	return err
}

// named returns the path of a file, and the one that it gets.
func (page *Page) named(r *run.Result) string {
	if r.NewPath() == r.At.Path {
		return page.printer.Masked(Path(r.At.Path))
	}
	return Names(r)
}

// filePage writes the hunks of one file.
type filePage struct {
	*Page
	values         func(line, at int) string
	body           spool.Buffer
	added, removed int
	old, fresh     int // lines so far
	within         bool
}

// hunk writes a hunk, or a part of one.
func (f *filePage) hunk(h *diff.Hunk, done bool) error {
	f.printer.mask(h)
	part := struct {
		Place  string
		Blocks [][]pageLine
	}{}
	if !f.within {
		f.old, f.fresh = h.OldStart, h.NewStart
		part.Place = strings.TrimSpace(fmt.Sprintf("line %d  %s", h.OldStart, f.printer.about(*h, f.values)))
	}
	f.within = !done
	returns := mixedEndings(*h)
	for i, l := range h.Lines {
		line := pageLineOf(l, returns)
		switch l.Op {
		case diff.Remove:
			line.Number = f.old
			f.removed++
		default:
			line.Number = f.fresh
		}
		if l.Op != diff.Add {
			f.old++
		}
		if l.Op != diff.Remove {
			f.fresh++
		}
		if l.Op == diff.Add {
			f.added++
		}
		if n := len(part.Blocks) - 1; i > 0 && sameBlock(h.Lines[i-1].Op, l.Op) {
			part.Blocks[n] = append(part.Blocks[n], line)
		} else {
			part.Blocks = append(part.Blocks, []pageLine{line})
		}
	}
	return pageTemplate().ExecuteTemplate(&f.body, "lines", part)
}

// sameBlock reports whether a line belongs to the same block as the line before it: a run of removed lines and the
// added lines that replace them. Unchanged lines are not in a block.
func sameBlock(before, op diff.Op) bool {
	return op != diff.Keep && before != diff.Keep && (before == op || op == diff.Add)
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
	if rest := text[at:]; len(rest) > 0 || len(l.Marks) == 0 {
		out.Parts = append(out.Parts, pagePart{Text: terminal.Visible(rest)})
	}
	if !bytes.HasSuffix(l.Text, []byte("\n")) {
		out.Parts = append(out.Parts, pagePart{Text: " (no line ending)"})
	}
	return out
}

// End says how the preview ended; refuses are why an apply would write nothing.
func (page *Page) End(s *run.Summary, refuses []string) {
	for _, why := range refuses {
		page.Refuses = append(page.Refuses, page.printer.Masked(why))
	}
	page.Counted = fmt.Sprintf("%s read, %s would change: %s.", Read(s), Number(s.Changed), Count(s.Changes, "change"))
	for i, r := range page.program.Rules {
		if s.Tally.Acts(i) && page.printer.Rules[i] != "" {
			page.Rules = append(page.Rules, pageRule{page.printer.Masked(r.Label), page.printer.Masked(r.About), s.Tally.Changes[i], s.Tally.Files[i]})
		}
	}
	reasons := s.Reasons()
	var parts []string
	for _, r := range slices.Sorted(maps.Keys(reasons)) {
		parts = append(parts, r.Count(reasons[r]))
	}
	page.Skipped = strings.Join(parts, ", ")
	if s.Names != nil {
		if text := renamed(s.Names); text != "" {
			page.Counted = strings.TrimSuffix(page.Counted, ".") + "; " + text + "."
		}
		page.Notes = append(page.Notes, Dangling(s.Names)...)
	}
	for _, note := range page.printer.noted(s) {
		page.Notes = append(page.Notes, page.printer.Masked(note))
	}
}

// WriteTo finishes the page and writes it.
func (page *Page) WriteTo(out io.Writer) (n int64, err error) {
	w := &counting{out: out}
	if _, err := io.WriteString(w, run.PageBeginning); err != nil {
		return w.n, err
	}
	if err := pageTemplate().ExecuteTemplate(w, "top", page); err != nil {
		return w.n, err
	}
	if _, err := page.files.WriteTo(w); err != nil {
		return w.n, err
	}
	err = pageTemplate().ExecuteTemplate(w, "bottom", template.JS(pageScript))
	return w.n, err
}

// counting counts the bytes written.
type counting struct {
	out io.Writer
	n   int64
}

func (c *counting) Write(text []byte) (int, error) {
	n, err := c.out.Write(text)
	c.n += int64(n)
	return n, err
}
