package document

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
)

// A wordReader reads WordprocessingML (ISO/IEC 29500-1, 17).
type wordReader struct {
	*builder
	alternatives
	relations []relation
	levels    map[string]int // heading levels by style
	fields    []field
	controls  []int // locks of the content controls around; 0 if the content may change
	tables    []location
	heading   string // place of the text below the last heading
	note      string // the word for the part's notes, such as footnote
	notes     int
}

// A field is a complex field being read: its code, a separator, and its result.
type field struct {
	code   string
	result bool
}

const (
	_ action = iota
	wordParagraph
	wordText
	wordHidden
	wordControl
	wordTable
	wordCell
	wordBox
	wordField
	wordAlternatives
	wordFallback
)

// word reads a word processor's document.
func (b *builder) word() error {
	main, all, err := b.main()
	if err != nil {
		return err
	}
	r := &wordReader{builder: b, relations: all, levels: map[string]int{}}
	r.alternatives.builder = b
	if err := r.styles(); err != nil {
		return err
	}
	if err := b.walk(main, inWord, r); err != nil {
		return err
	}
	if len(r.open) > 0 || len(b.lines) == 0 && !strings.Contains(string(main.src[:min(len(main.src), 4096)]), "document") {
		return errForeign
	}
	r.heading = ""
	for _, kind := range []struct{ kind, note, in string }{
		{"footnotes", "footnote", ""}, {"endnotes", "endnote", ""}, {"comments", "comment", ""}, {"header", "", "header"}, {"footer", "", "footer"},
	} {
		r.note, r.notes = kind.note, 0
		err := b.each(all, kind.kind, inWord, r, func(rel relation, _ int) (err error) {
			r.where, r.fields = location{in: kind.in}, nil
			r.relations, err = b.relations(rel.target)
			return err
		})
		if err != nil {
			return err
		}
	}
	return b.rest()
}

// styles reads the heading levels of styles.
func (r *wordReader) styles() error {
	for _, rel := range of(r.relations, "styles") {
		m := r.doc.pack.find(rel.target)
		if m == nil {
			continue
		}
		p, err := r.load(m)
		if err != nil {
			return err
		}
		s := &styleReader{builder: r.builder, levels: r.levels, bases: map[string]string{}}
		if err := r.quietly(p, s); err != nil {
			return err
		}
		for id := range s.bases {
			at := id
			for range 20 { // limits cycles of styles that are based on each other
				if level, ok := r.levels[at]; ok {
					r.levels[id] = level
					break
				}
				at = s.bases[at]
			}
		}
	}
	return nil
}

type styleReader struct {
	*builder
	levels map[string]int
	bases  map[string]string
	id     string
	own    bool // the style is none that every document has
}

// nameOfStyle is what is told of one that matches.
const nameOfStyle = "name of a style"

func (s *styleReader) opens(name string) error {
	switch value := s.s.value("w:val"); name {
	case "w:style":
		s.id = s.s.value("w:styleId")
		custom := s.s.value("w:customStyle")
		s.own = custom == "1" || custom == "true"
	case "w:basedOn":
		s.bases[s.id] = value
	case "w:name":
		if s.own {
			s.where = location{}
			s.hide(nameOfStyle, value)
		}
		if n, ok := strings.CutPrefix(strings.ToLower(value), "heading "); ok {
			if level, err := strconv.Atoi(n); err == nil {
				s.levels[s.id] = level
			}
		}
	case "w:outlineLvl":
		if level, err := strconv.Atoi(value); err == nil && level < 9 {
			s.levels[s.id] = level + 1
		}
	}
	return nil
}

func (s *styleReader) closes(action) error { return nil }

func (r *wordReader) opens(name string) error {
	switch name {
	case "w:p":
		r.act = wordParagraph
		r.mode, r.run = ignored, false
		if r.gone {
			return nil
		}
		l := r.begin()
		l.spare = r.fallback > 0
		if l.location.in == "" && r.heading != "" {
			l.location.in = r.heading
		}
	case "w:pPr":
		r.run = false
	case "w:rPr", "w:pPrChange", "w:sectPr", "w:tblPr", "w:tblGrid", "w:trPr", "w:tcPr":
		r.skip = true
	case "w:pStyle":
		r.level(r.levels[r.s.value("w:val")])
	case "w:outlineLvl":
		if n, err := strconv.Atoi(r.s.value("w:val")); err == nil && n < 9 {
			r.level(n + 1)
		}
	case "w:r":
		r.run = true
	case "w:del", "w:moveFrom":
		r.gone = true
	case "w:t", "m:t", "w:delText", "w:instrText", "w:delInstrText":
		r.written(name)
	case "w:rt":
		r.hides(wordHidden)
	case "w:tbl":
		r.act = wordTable
		r.tables = append(r.tables, r.where)
		r.where.row, r.where.column = 0, 0
	case "w:tr":
		r.where.row++
		r.where.column = 0
	case "w:tc":
		r.act = wordCell
		r.where.column++
		r.tables = append(r.tables, r.where)
	case "w:txbxContent":
		r.act = wordBox
		r.tables = append(r.tables, r.where)
		r.where = location{in: "text box"}
		r.mode, r.run = ignored, false
	case "w:footnote", "w:endnote", "w:comment":
		if kind := r.s.value("w:type"); kind != "" && kind != "normal" { // separators of notes
			r.skip = true
			return nil
		}
		r.notes++
		r.where = location{in: fmt.Sprintf("%s %d", r.note, r.notes)}
	case "wp:docPr", "pic:cNvPr", "v:shape", "v:rect":
		r.hide("alternative text", r.s.value("descr"))
		r.hide("alternative text", r.s.value("title"))
		r.hide("alternative text", r.s.value("alt"))
	case "w:hyperlink":
		r.hide("tooltip of a link", r.s.value("w:tooltip"))
		if rel, ok := byID(r.relations, r.s.value("r:id")); ok && r.current() != nil {
			r.current().links = append(r.current().links, rel.link())
		}
	case "mc:AlternateContent":
		r.act = wordAlternatives
		r.begins()
	case "mc:Fallback":
		r.act = wordFallback
		r.fallback++
	default:
		r.special(name)
	}
	return nil
}

// written begins an element that contains characters.
func (r *wordReader) written(name string) {
	switch {
	case name == "w:instrText" || name == "w:delInstrText":
		r.hides(wordHidden)
	case r.gone || name == "w:delText":
		r.hides(wordHidden)
	case r.code():
		r.hides(wordHidden)
	case r.fallback > 0 && (r.current() == nil || !r.current().spare):
		r.hides(wordHidden)
	default:
		r.act, r.mode = wordText, shown
		r.text(name == "m:t")
		if lock := r.fieldLock(); lock != 0 {
			r.lock = lock
		}
	}
}

// special reads elements that stand for a character, fields and content controls.
func (r *wordReader) special(name string) {
	switch name {
	case "w:tab", "w:ptab":
		r.character("\t")
	case "w:br":
		if kind := r.s.value("w:type"); kind == "" || kind == "textWrapping" {
			r.character("\u2028")
		}
	case "w:cr":
		r.character("\u2028")
	case "w:noBreakHyphen":
		r.character("\u2011")
	case "w:softHyphen":
		r.character("\u00ad")
	case "w:fldSimple":
		code := r.s.value("w:instr")
		r.hide("field", code)
		r.act = wordField
		r.fields = append(r.fields, field{code, true})
	case "w:fldChar":
		switch n := len(r.fields); r.s.value("w:fldCharType") {
		case "begin":
			r.fields = append(r.fields, field{})
		case "separate":
			if n > 0 {
				r.fields[n-1].result = true
			}
		case "end":
			if n > 0 {
				r.hide("field", r.fields[n-1].code)
				r.fields = r.fields[:n-1]
			}
		}
	case "w:sdt":
		r.act = wordControl
		r.controls = append(r.controls, 0)
	case "w:dataBinding":
		r.bind("it is bound to data that are kept elsewhere in the document")
	case "w:docPartGallery":
		if r.s.value("w:val") == "Table of Contents" {
			r.bind("it is a table of contents")
		}
	case "w:lock":
		if strings.Contains(strings.ToLower(r.s.value("w:val")), "contentlocked") {
			r.bind("its control is locked")
		}
	case "w:sdtContent":
		if n := len(r.controls); n > 0 && r.controls[n-1] != 0 {
			r.lock = r.controls[n-1]
		}
	case "w:listItem":
		r.hide("choice of a control", r.s.value("w:displayText"))
	case "w:alias":
		r.hide("title of a control", r.s.value("w:val"))
	case "w:tag":
		r.hide("tag of a control", r.s.value("w:val"))
	case "w:listEntry":
		r.hide("entry of a form field", r.s.value("w:val"))
	case "w:statusText", "w:helpText":
		r.hide("help of a form field", r.s.value("w:val"))
	case "v:textpath":
		r.hide("drawn text", r.s.value("string"))
	}
}

func (r *wordReader) bind(why string) {
	if n := len(r.controls); n > 0 {
		r.controls[n-1] = r.locked(why)
	}
}

// level makes the current line a heading.
func (r *wordReader) level(level int) {
	if l := r.current(); l != nil {
		l.level = level
	}
}

// character appends the character that an element of a run stands for.
func (r *wordReader) character(c string) {
	if !r.run || r.gone || r.code() || r.fallback > 0 && (r.current() == nil || !r.current().spare) {
		return
	}
	lock := r.lock
	if l := r.fieldLock(); l != 0 {
		r.lock = l
	}
	r.put(c, element, r.s.start, r.s.end)
	if !r.s.empty { // include the end tag in the segment
		l := r.current()
		if l != nil && len(l.segments) > 0 {
			l.segments[len(l.segments)-1].lock = uint16(r.locked("it is written in a way that is not known here"))
		}
	}
	r.lock = lock
}

// code reports whether the reader is in a field's code.
func (r *wordReader) code() bool {
	return slices.ContainsFunc(r.fields, func(f field) bool { return !f.result })
}

// fieldLock returns the lock of the current text if it is a field's result.
func (r *wordReader) fieldLock() int {
	for _, f := range r.fields {
		switch code := strings.ToUpper(strings.TrimSpace(f.code)); {
		case strings.HasPrefix(code, "TOC"):
			return r.locked("it is a table of contents")
		case !strings.HasPrefix(code, "HYPERLINK"):
			return r.locked("it is the result of a field")
		}
	}
	return 0
}

func (r *wordReader) closes(act action) error {
	switch act {
	case wordParagraph:
		if r.gone {
			return nil
		}
		l := r.current()
		r.end()
		if l.level > 0 && !l.spare {
			r.heading = fmt.Sprintf("heading %q", l.text)
			l.location.in = r.heading
		}
	case wordText:
		r.ended()
	case wordHidden:
		r.closeHidden()
	case wordControl:
		r.controls = r.controls[:len(r.controls)-1]
	case wordTable, wordBox:
		r.where = r.tables[len(r.tables)-1]
		r.tables = r.tables[:len(r.tables)-1]
	case wordCell:
		r.where = r.tables[len(r.tables)-1]
		r.tables = r.tables[:len(r.tables)-1]
	case wordField:
		r.fields = r.fields[:len(r.fields)-1]
	case wordAlternatives:
		r.ends()
	case wordFallback:
		r.fallback--
	}
	return nil
}

// closeHidden ends a hidden text.
func (r *wordReader) closeHidden() {
	switch n := len(r.fields); {
	case r.gone:
		r.hid("tracked deletion")
	case r.code(): // added as one text at the field's end
		r.fields[n-1].code += string(r.hiding)
		r.hiding = r.hiding[:0]
	default:
		r.hid("text that is not shown")
	}
}

// alternatives tracks alternate content: the choice that is shown and the fallbacks for older readers.
type alternatives struct {
	builder  *builder
	fallback int   // number of open fallbacks
	firsts   []int // for each open fallback, the number of lines before it
}

func (a *alternatives) begins() { a.firsts = append(a.firsts, len(a.builder.lines)) }

func (a *alternatives) ends() {
	n := len(a.firsts)
	a.builder.pair(a.firsts[n-1])
	a.firsts = a.firsts[:n-1]
}
