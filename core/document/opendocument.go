package document

import (
	"bytes"
	"cmp"
	"fmt"
	"strconv"
	"strings"
	"unicode"
)

// An openReader reads OpenDocument (ISO/IEC 26300). Its three families share one vocabulary.
type openReader struct {
	*builder
	stack   []openState
	state   openState
	cells   []openCell // preallocated cells
	heading string     // place of the text below the last heading
	slide   int
	page    string // what a page is called
	sheet   string
	notes   int
	props   *propertyReader
	book    bool // the document is a spreadsheet
	meta    bool // the reader is in the document's properties
	styles  bool // the reader is in the styles that people name, not in automatic ones
}

// An openState is the state within an element of an OpenDocument part.
type openState struct {
	where   location
	cell    *openCell // the cell around, whose paragraphs are one line; nil outside cells
	deleted bool
	silent  bool // paragraphs are not shown
	level   int
}

// An openCell is a cell of a sheet.
type openCell struct {
	area  area
	line  *line
	lock  int
	value string // as it is stored, of a cell that is no text
}

const (
	_ action = iota
	openParagraph
	openRestore
	openHidden
	openElement
	openCellEnd
	openProperty
	openBare
	openHiddenParagraph
	openAloud
	openFormat
)

// openDocument reads an OpenDocument package.
func (b *builder) openDocument() error {
	m := b.doc.pack.find("mimetype")
	if m == nil || b.doc.pack.find("content.xml") == nil && b.doc.pack.find("styles.xml") == nil {
		return errForeign
	}
	kind, err := b.doc.pack.content(m)
	if err != nil {
		return err
	}
	if !bytes.HasPrefix(kind, []byte("application/vnd.oasis.opendocument.")) {
		return errForeign
	}
	if m := b.doc.pack.find("META-INF/manifest.xml"); m != nil {
		p, err := b.load(m)
		if err != nil {
			return err
		}
		if err := b.quietly(p, &manifestReader{b}); err != nil {
			return err
		}
	}
	b.doc.signed = b.doc.pack.find("META-INF/documentsignatures.xml") != nil
	r := &openReader{builder: b, page: "slide"}
	r.props = &propertyReader{builder: b}
	for _, name := range []string{"content.xml", "styles.xml", "meta.xml"} {
		m := b.doc.pack.find(name)
		if m == nil {
			continue
		}
		p, err := b.load(m)
		if err != nil {
			return err
		}
		r.state, r.stack, r.heading = openState{}, nil, ""
		b.where = location{}
		if err := b.walk(p, inOpen, r); err != nil {
			return err
		}
	}
	b.where = location{}
	return b.rest()
}

// flat reads a flat OpenDocument file.
func (b *builder) flat() error {
	p, err := partOf("", nil, b.doc.raw)
	if err != nil {
		return err
	}
	r := &openReader{builder: b, page: "slide"}
	r.props = &propertyReader{builder: b}
	if err := b.walk(p, inOpen, r); err != nil {
		return err
	}
	if len(b.doc.parts) == 0 {
		return errForeign
	}
	return nil
}

// A manifestReader determines whether a package is encrypted.
type manifestReader struct{ *builder }

func (r *manifestReader) opens(name string) error {
	if name == "manifest:encryption-data" {
		return ErrEncrypted
	}
	return nil
}

func (r *manifestReader) closes(action) error { return nil }

// push saves the state until the element's end.
func (r *openReader) push(act action) {
	r.stack = append(r.stack, r.state)
	r.act = act
}

func (r *openReader) pop() {
	r.state = r.stack[len(r.stack)-1]
	r.stack = r.stack[:len(r.stack)-1]
}

// inner are the elements of a paragraph that contain text of the paragraph.
var inner = map[string]bool{
	"text:span": true, "text:a": true, "text:ruby": true, "text:ruby-base": true, "text:meta": true,
	"text:bookmark": true, "text:bookmark-start": true, "text:bookmark-end": true, "text:reference-mark": true,
	"text:reference-mark-start": true, "text:reference-mark-end": true, "text:change": true, "text:change-start": true,
	"text:change-end": true, "text:soft-page-break": true, "text:toc-mark": true, "text:toc-mark-start": true, "text:toc-mark-end": true,
	"text:alphabetical-index-mark": true, "text:alphabetical-index-mark-start": true, "text:alphabetical-index-mark-end": true,
	"text:user-index-mark": true, "text:user-index-mark-start": true, "text:user-index-mark-end": true,
}

func (r *openReader) opens(name string) error {
	space, _, _ := strings.Cut(name, ":")
	if inner[name] {
		r.link(name)
		return nil
	}
	switch name {
	case "text:p", "text:h":
		r.paragraph(name)
	case "text:s", "text:tab", "text:line-break":
		r.character(name)
	case "text:note", "text:note-body", "text:note-citation", "office:annotation", "text:ruby-text":
		r.aside(name)
	case "office:spreadsheet":
		r.book = true
	case "office:drawing":
		r.page = "page"
	case "text:deletion":
		r.push(openRestore)
		r.state.deleted = true
	case "text:table-of-content", "text:illustration-index", "text:table-index", "text:object-index", "text:user-index",
		"text:alphabetical-index", "text:bibliography":
		r.lock = r.locked("it is a table of contents")
	case "office:meta":
		r.meta = true
	case "office:body":
		r.meta = false
	case "dc:title", "dc:subject", "meta:keyword", "dc:description", "dc:creator", "meta:initial-creator", "meta:user-defined":
		switch {
		case r.meta && r.mode != hidden && r.current() == nil:
			return r.property(name)
		case name == "dc:creator":
			r.skip = true
		}
	case "dc:date", "meta:date-string", "meta:creator-initials", "office:binary-data", "office:scripts", "office:settings", "office:font-face-decls":
		r.skip = true
	case "office:styles", "office:automatic-styles":
		r.styles = name == "office:styles"
		r.where = location{}
	case "number:text", "number:currency-symbol":
		r.hides(openFormat)
	case "svg:title", "svg:desc":
		r.hides(openHidden)
	case "office:forms":
		r.mode = ignored
	case "presentation:footer-decl", "presentation:header-decl":
		r.bare("slide footer")
	default:
		switch space {
		case "table":
			r.table(name)
		case "draw", "presentation":
			r.drawn(name)
		case "style":
			r.named()
			r.styled(name)
		case "form":
			r.hide("label of a control", r.s.value("form:label"))
			r.hide("value of a control", r.s.value("form:value"))
		case "text":
			r.field(name)
		}
	}
	return nil
}

// paragraph begins a line, or continues the line of a cell.
func (r *openReader) paragraph(name string) {
	r.push(openParagraph)
	r.state.level = 0
	switch c := r.state.cell; {
	case r.mode == hidden:
		r.act = openRestore
		return
	case r.state.deleted || r.state.silent:
		r.hides(openHiddenParagraph)
		return
	case c != nil && c.line != nil:
		l := c.line
		r.open = append(r.open, l)
		lock := r.lock
		r.lock = r.locked("it ends a paragraph of the cell")
		r.put("\u2028", fixed, 0, 0)
		r.lock = lock
	case c != nil:
		c.line = r.begin()
		c.line.location = location{cells: r.area(c.area)}
	default:
		r.where = r.state.where
		if r.where.in == "" && r.heading != "" {
			r.where.in = r.heading
		}
		l := r.begin()
		if name == "text:h" {
			r.state.level = max(1, number(r.s.value("text:outline-level")))
			l.level = r.state.level
		}
	}
	r.state.cell = nil
	if c := r.stack[len(r.stack)-1].cell; c != nil && c.lock != 0 {
		r.lock = c.lock
	}
	r.mode = shown
}

// character appends the character that an element stands for, such as a tab.
func (r *openReader) character(name string) {
	text := map[string]string{"text:tab": "\t", "text:line-break": "\u2028", "text:s": " "}[name]
	if name == "text:s" {
		text = strings.Repeat(" ", min(max(1, number(r.s.value("text:c"))), 4096))
	}
	switch r.mode {
	case hidden:
		r.hiding = append(r.hiding, text...)
	case shown:
		r.put(text, element, r.s.start, r.s.end)
		r.act = openElement
	}
}

// aside begins a note, a comment or another text beside the paragraph.
func (r *openReader) aside(name string) {
	r.push(openRestore)
	r.state.cell = nil
	if r.mode == hidden {
		return
	}
	r.mode = ignored
	switch name {
	case "text:note":
		what := r.s.value("text:note-class")
		if what == "" {
			what = "footnote"
		}
		r.notes++
		r.state.where = location{in: fmt.Sprintf("%s %d", what, r.notes)}
	case "office:annotation":
		in := "comment"
		if c := r.stack[len(r.stack)-1].cell; c != nil {
			in = "sheet " + r.sheet + " comment at " + c.area.String()
		} else if r.slide > 0 {
			in = fmt.Sprintf("%s %d comment", r.page, r.slide)
		}
		r.state.where = location{in: in}
	case "text:ruby-text":
		r.pop()
		r.hides(openAloud)
	}
}

// link records the target of a link as hidden.
func (r *openReader) link(name string) {
	if l := r.current(); name == "text:a" && l != nil && r.mode == shown {
		if target := r.s.value("xlink:href"); target != "" && !strings.HasPrefix(target, "#") {
			from, to := r.s.attributeAt("xlink:href")
			l.links = append(l.links, link{target, r.part, from, to})
		}
	}
}

// field reads an unknown element of a paragraph as a field, whose text is locked.
func (r *openReader) field(name string) {
	switch {
	case strings.HasPrefix(name, "text:list-level-style-"), name == "text:outline-level-style", name == "text:notes-configuration":
		r.hide("text of list numbers", lettered(r.s.value("style:num-prefix")))
		r.hide("text of list numbers", lettered(r.s.value("style:num-suffix")))
	case strings.HasSuffix(name, "-source"):
		r.skip = true
	case strings.HasSuffix(name, "-decl"):
		r.hide("field", r.s.value("office:string-value"))
		r.hide("field", r.s.value("text:formula"))
	case r.current() != nil && r.mode == shown:
		r.hide("field", r.s.value("text:formula"))
		r.hide("field", r.s.value("text:condition"))
		r.lock = r.locked("it is the result of a field")
	}
}

// lettered returns a text that has a letter or a digit; others are no names.
func lettered(text string) string {
	if strings.ContainsFunc(text, func(r rune) bool { return unicode.IsLetter(r) || unicode.IsDigit(r) }) {
		return text
	}
	return ""
}

// drawn reads pages and shapes.
func (r *openReader) drawn(name string) {
	switch {
	case name == "draw:page":
		r.push(openRestore)
		r.slide++
		r.state.where = location{in: fmt.Sprintf("%s %d", r.page, r.slide)}
	case name == "presentation:notes":
		r.push(openRestore)
		if r.state.where.in != "" {
			r.state.where.in += " notes"
		}
	default:
		r.push(openRestore)
		r.state.cell = nil
		if r.current() != nil && r.mode != hidden {
			r.mode = ignored
		}
		if r.slide == 0 && !r.state.silent {
			r.state.where = location{in: "text box"}
			if r.sheet != "" {
				r.state.where.in = "sheet " + r.sheet + " text box"
			}
		}
	}
}

// named reads the name that people see of a style.
func (r *openReader) named() {
	if r.styles && r.current() == nil {
		r.hide(nameOfStyle, cmp.Or(r.s.value("style:display-name"), r.s.value("style:name")))
	}
}

// styled reads headers and footers.
func (r *openReader) styled(name string) {
	switch {
	case strings.HasPrefix(name, "style:header"), strings.HasPrefix(name, "style:footer"):
		if strings.HasSuffix(name, "-style") {
			return
		}
		r.push(openRestore)
		r.state.silent = false
		what, _, _ := strings.Cut(strings.TrimPrefix(name, "style:"), "-")
		r.state.where = location{in: what}
	case name == "style:master-page", name == "style:handout-master":
		r.push(openRestore)
		r.state.silent = true
		r.where = location{}
		r.state.where = location{in: "master slide"}
	}
}

// bare begins a line that consists of an element's characters.
func (r *openReader) bare(what string) {
	r.act, r.mode, r.flavor = openBare, shown, bare
	r.where = location{in: what}
	r.text(true)
	r.begin()
}

// property shows a property of the document.
func (r *openReader) property(name string) error {
	err := r.props.opens(name)
	if r.act == property {
		r.act, r.flavor = openProperty, bare
	}
	return err
}

func (r *openReader) closes(act action) error {
	switch act {
	case openParagraph:
		l := r.current()
		if r.state.level > 0 {
			r.heading = fmt.Sprintf("heading %q", l.text)
			l.location.in = r.heading
		}
		r.end()
		r.pop()
	case openRestore:
		r.pop()
	case openCellEnd:
		if c := r.state.cell; c != nil && c.line != nil && c.value != "" && !bytes.Contains(c.line.text, []byte(c.value)) {
			r.where = location{in: "sheet " + r.sheet + " cell " + c.area.String()}
			r.hide("stored value", c.value)
		}
		r.pop()
	case openHidden:
		r.hid("alternative text")
	case openFormat:
		if lettered(string(r.hiding)) == "" {
			r.hiding = r.hiding[:0]
		}
		r.hid("number format")
	case openAloud:
		r.hid("how a text is read aloud")
	case openHiddenParagraph:
		if r.state.deleted {
			r.hid("tracked deletion")
		} else {
			r.hid("master slide")
		}
		r.pop()
	case openElement:
		r.stretched()
	case openProperty:
		err := r.props.closes(property)
		r.flavor = inOpen
		return err
	case openBare:
		r.ended()
		r.end()
		r.flavor = inOpen
	}
	return nil
}

// number returns the number that an attribute holds, or 1 if it is missing or invalid.
func number(text string) int {
	n, err := strconv.Atoi(text)
	if err != nil || n < 0 || n > 1<<24 {
		return 1
	}
	return n
}
