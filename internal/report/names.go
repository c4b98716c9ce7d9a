package report

import (
	"bytes"
	"crypto/sha1"
	"encoding/hex"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"frizzel/core/diff"
	"frizzel/core/edit"
	"frizzel/core/lines"
	"frizzel/core/script"
	"frizzel/internal/change"
	"frizzel/internal/disk"
	"frizzel/internal/event"
	"frizzel/internal/names"
	"frizzel/internal/run"
	"frizzel/internal/terminal"
)

// An extended is git's extended header of a file's diff, which git apply renames files and writes links by.
type extended struct {
	from, to   string // paths in the diff
	similarity int    // percent; -1 if it is not known
	link       bool
	old, new   string // texts of a link
	rules      []int  // that change the text
	made, gone bool   // the link is made, or removed
}

// extendedOf returns the extended header of a result, nil if it needs none.
func extendedOf(r *run.Result) *extended {
	x := &extended{from: DiffName(r.At.Path), to: DiffName(r.NewPath()), link: r.Kind() == disk.Link, similarity: r.Similarity()}
	if x.link {
		x.old, x.new = r.Target()
		for _, t := range r.Texts() {
			if t.Of == script.LinkTarget {
				x.rules = t.Rules
			}
		}
	}
	if x.from == x.to && !x.link {
		return nil
	}
	return x
}

// extendedBy returns the extended header of a change by which a file gets the path to, nil if it needs none.
func extendedBy(c *change.Change, to string) *extended {
	x := &extended{from: DiffName(c.Path), to: DiffName(to), link: c.Kind == disk.Link, old: c.Target, new: c.NewTarget, rules: c.Rules, similarity: -1}
	if x.link && x.old == x.new || !c.Op.IsContent(c.Kind) && !x.link {
		x.similarity = 100
	}
	x.made, x.gone = c.Op == change.Create, c.Op == change.Remove
	if x.from == x.to && !x.link {
		return nil
	}
	return x
}

// lines returns the header's lines.
func (x *extended) lines() (all []string) {
	all = append(all, "diff --git "+gitName("a/"+x.from)+" "+gitName("b/"+x.to))
	if x.from != x.to {
		if x.similarity >= 0 {
			all = append(all, fmt.Sprintf("similarity index %d%%", x.similarity))
		}
		all = append(all, "rename from "+gitName(x.from), "rename to "+gitName(x.to))
	}
	switch {
	case x.link && x.made:
		return append(all, "new file mode 120000")
	case x.link && x.gone:
		return append(all, "deleted file mode 120000")
	}
	if x.link && x.old != x.new {
		all = append(all, fmt.Sprintf("index %s..%s 120000", object(x.old), object(x.new)))
	}
	return all
}

// gitName returns a name as an extended header has it: without the tab that ends one with blanks in the lines behind.
func gitName(name string) string { return strings.TrimSuffix(diff.Name(name), "\t") }

// object returns the beginning of the name that git gives a link's text.
func object(text string) string {
	sum := sha1.Sum([]byte(fmt.Sprintf("blob %d\x00%s", len(text), text)))
	return hex.EncodeToString(sum[:])[:12]
}

// write writes the header.
func (x *extended) write(u *unified) {
	u.extends = u.extends || u.inStream
	for _, line := range x.lines() {
		_, _ = u.out.WriteString(line + "\n") // which keeps its error
	}
}

// draw writes, on a terminal, what the header says to a person: both names, with the parts that change standing out.
func (x *extended) draw(u *unified) {
	from, to := marked(x.from, x.to)
	lines := []string{u.Style.head(terminal.Visible([]byte(x.to)))}
	if x.from != x.to {
		lines = []string{
			u.Style.Soft("rename from ") + part(u.Style.remove, u.Style.removed, x.from, from),
			u.Style.Soft("rename to   ") + part(u.Style.add, u.Style.added, x.to, to),
		}
	}
	if x.link && x.old != x.new {
		lines = append(lines, u.Style.Soft("link target"))
	}
	for _, line := range lines {
		_, _ = u.out.WriteString(line + "\n")
	}
}

// marked returns the ranges of two texts that differ.
func marked(old, now string) (was, is [2]int) {
	for _, e := range edit.One([]byte(old), []byte(now)) {
		return [2]int{e.Start, e.End}, [2]int{e.Start, e.Start + len(e.New)}
	}
	return was, is
}

// part paints a text, and a range of it more strongly.
func part(paint, strong func(string) string, text string, at [2]int) string {
	show := func(s string) string { return terminal.Visible([]byte(s)) }
	if at == [2]int{} {
		return paint(show(text))
	}
	return paint(show(text[:at[0]])) + strong(show(text[at[0]:at[1]])) + paint(show(text[at[1]:]))
}

// directory shows the new name of a directory, on a terminal. In a diff each file in it has its own.
func (p *Printer) directory(r *run.Result) error {
	if !p.Terminal || !r.Writes() {
		return nil
	}
	return p.movedDirectory(r.At.Path, r.NewPath())
}

func (p *Printer) movedDirectory(old, now string) error {
	from, to := marked(old, now)
	fmt.Fprintf(p.buffered(), "%s%s/\n%s%s/\n",
		p.Style.Soft("rename from "), part(p.Style.remove, p.Style.removed, old, from), p.Style.Soft("rename to   "), part(p.Style.add, p.Style.added, now, to))
	return p.buffered().Flush()
}

// onlyNames shows a result in which only names, or the text of a link, change.
func (p *Printer) onlyNames(r *run.Result) error {
	if r.Kind() == disk.Directory {
		return p.directory(r)
	}
	if p.Terminal && !r.Writes() { // its directory is shown
		return nil
	}
	x := extendedOf(r)
	if x == nil {
		return nil
	}
	u := p.named(r.At.Path, false)
	u.rename(x)
	return errors.Join(u.names(), p.buffered().Flush())
}

// rename sets the header of a file that gets another path, or of a link.
func (u *unified) rename(x *extended) {
	if x != nil {
		u.extended, u.from, u.to = x, diff.Name("a/"+x.from), diff.Name("b/"+x.to)
	}
}

// names writes the diff of a file whose content stays: the header, and of a link its text.
func (u *unified) names() error {
	x := u.extended
	if x.link && x.old != x.new {
		if u.drawn { // a person needs not see that there is no line ending
			x.old, x.new = x.old+"\n", x.new+"\n"
		}
		return u.write(diff.Whole([]byte(x.old), edit.One([]byte(x.old), []byte(x.new), x.rules...)))
	}
	if u.drawn {
		x.draw(u)
	} else {
		x.write(u)
	}
	return u.out.Flush()
}

// Change shows a change by which a file gets the path to, which may be its own. text is the content with the edits to it.
func (p *Printer) Change(c *change.Change, to string, text diff.Windows) error {
	switch x := extendedBy(c, to); {
	case c.Kind == disk.Directory && p.Terminal:
		return p.movedDirectory(Here(c.Path), Here(to))
	case c.Kind == disk.Directory:
		_, err := fmt.Fprintf(p.Out, "# directory %s becomes %s\n", Path(Here(c.Path)), Path(Here(to)))
		return err
	case x != nil && !c.Op.IsContent(c.Kind):
		u := p.named(c.Path, false)
		u.rename(x)
		return errors.Join(u.names(), p.buffered().Flush())
	default:
		return p.renamedDiff(c.Path, x, text)
	}
}

// renamedDiff is Diff for a file that gets another path; x is nil if it does not.
func (p *Printer) renamedDiff(path string, x *extended, text diff.Windows) error {
	shown, isDocument, places := shownOf(path, text, p.Terminal)
	u := p.named(path, isDocument)
	u.rename(x)
	return p.diff(u, shown, places)
}

// Names returns the path that a file has, and the one that it gets, if that is another one.
func Names(r *run.Result) string { return Moved(r.At.Path, r.NewPath()) }

// Moved returns a path, and the one that the file gets, if that is another one.
func Moved(old, now string) string {
	if old != now {
		return Path(old) + " → " + Path(now)
	}
	return Path(old)
}

// renames writes which names change, and what there is to know of them.
func (p *Printer) renames(s *run.Summary) {
	if s.Names == nil {
		return
	}
	if text := renamed(s.Names); text != "" {
		fmt.Fprintf(p.Err, "%s\n", text)
	}
	for _, item := range s.Names.Empty() {
		fmt.Fprintf(p.Err, "empty directory: %s becomes %s\n", Path(item.At.Path), Path(s.Names.Path(&item.At, item)))
	}
	if len(p.Hidden) > 0 {
		fmt.Fprintf(p.Err, "note: --hide leaves the names of files that are renamed as they are\n")
	}
	for _, path := range s.Names.VersionControl() {
		fmt.Fprintf(p.Err, "note: %s moves with its directory, and is not in the diff\n", Path(path))
	}
	for _, text := range Dangling(s.Names) {
		fmt.Fprintf(p.Err, "note: %s\n", text)
	}
}

// renamed counts the names that change, "" for none.
func renamed(plan *names.Plan) string {
	count := map[disk.Kind]int{}
	targets := 0
	for _, item := range plan.Items {
		if item.Name.Changes() {
			count[item.Kind]++
		}
		if item.Kind == disk.Link && item.Target.Changes() {
			targets++
		}
	}
	var parts []string
	for _, one := range []struct {
		kind disk.Kind
		noun string
	}{{disk.Regular, "file"}, {disk.Link, "link"}} {
		if n := count[one.kind]; n > 0 {
			parts = append(parts, Count(n, one.noun))
		}
	}
	switch n := count[disk.Directory]; {
	case n == 1:
		parts = append(parts, "1 directory")
	case n > 1:
		parts = append(parts, fmt.Sprintf("%d directories", n))
	}
	text := ""
	if len(parts) > 0 {
		text = "renamed: " + strings.Join(parts, ", ")
	}
	if targets > 0 {
		text = strings.TrimPrefix(text+"; another target: "+Count(targets, "link"), "; ")
	}
	return text
}

// Dangling returns the notes about links that would lead nowhere: one for each way to mend some. plan may be nil.
func Dangling(plan *names.Plan) (notes []string) {
	if plan == nil {
		return nil
	}
	by := map[string][]string{}
	for _, d := range plan.Dangling() {
		by[d.Statement] = append(by[d.Statement], Path(d.Path))
	}
	for _, statement := range slices.Sorted(maps.Keys(by)) {
		verb := " would lead nowhere; mend it with: "
		if len(by[statement]) > 1 {
			verb = " would lead nowhere; mend them with: "
		}
		notes = append(notes, some(by[statement])+verb+statement)
	}
	return notes
}

// texts draws the names and the link's target that change, as the lines of a page.
func (f *filePage) texts(r *run.Result) error {
	for _, t := range r.Texts() {
		h := diff.Hunks([]byte(t.Old), t.Edits(), 0)
		part := struct {
			Place  string
			Blocks [][]pageLine
		}{Place: strings.TrimSpace(t.Of.Address() + "  " + f.printer.ruleLabel(t.Rule()))}
		for i := range h {
			var block []pageLine
			for _, l := range h[i].Lines {
				line := pageLineOf(diff.Line{Op: l.Op, Text: append(bytes.Clone(lines.Content(l.Text)), '\n'), Marks: l.Marks}, false)
				block = append(block, line)
			}
			part.Blocks = append(part.Blocks, block)
		}
		if err := pageTemplate().ExecuteTemplate(&f.body, "lines", part); err != nil {
			return err
		}
	}
	return nil
}

// ruleLabel returns the label of a rule, "" for none.
func (p *Printer) ruleLabel(rule int) string {
	if rule < 0 || rule >= len(p.Rules) {
		return ""
	}
	return p.Rules[rule]
}

// link prints the event of a link.
func (e *Events) link(r *run.Result) error {
	old, now := r.Target()
	l := event.Link{Path: event.PathOf(r.At.Path), Target: old}
	if to := r.NewPath(); to != r.At.Path {
		l.NewPath = event.NewPathOf(to)
	}
	if now != old {
		l.NewTarget = now
	}
	return e.Write(l)
}

// directory prints the event of a directory.
func (e *Events) directory(r *run.Result) error {
	return e.Write(event.Directory{Path: event.PathOf(r.At.Path), NewPath: event.NewPathOf(r.NewPath())})
}

// Change prints the event of a change by which a file gets the path to.
func (e *Events) Change(p *Printer, c *change.Change, to string, changes int, text diff.Windows) error {
	x := extendedBy(c, to)
	switch {
	case c.Kind == disk.Directory:
		return e.Write(event.Directory{Path: event.PathOf(c.Path), NewPath: event.NewPathOf(to)})
	case c.Kind == disk.Link:
		l := event.Link{Path: event.PathOf(c.Path), Target: c.Target}
		if to != c.Path {
			l.NewPath = event.NewPathOf(to)
		}
		if c.NewTarget != c.Target {
			l.NewTarget = c.NewTarget
		}
		return e.Write(l)
	}
	shown, isDocument, _ := shownOf(c.Path, text, true)
	return e.edits(p, c.Path, changes, shown, isDocument, x, to)
}

// labelled returns the words before the line of a match in a name, on a terminal.
func labelled(of script.Subject) string {
	if of == script.LinkTarget {
		return "target"
	}
	return "name"
}
