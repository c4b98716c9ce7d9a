package document

import (
	"bytes"
	"fmt"
	"slices"
	"strconv"
	"strings"
)

// A sheetReader reads a sheet of SpreadsheetML (ISO/IEC 29500-1, 18).
type sheetReader struct {
	*builder
	relations []relation
	name      string
	strings   []*line // the shared strings
	formats   *formatReader
	headers   map[[2]int32]*column
	threads   map[string]bool // cells with a threaded comment, which a legacy comment repeats

	column, row int32
	kind        string // type of the cell's value
	style       string // index of its format
	formula     bool
	links       []link
}

// A column is a table's column, which has the name in its header cell.
type column struct {
	name string
	line *line // the name in the table's part
}

const (
	_ action = iota
	sheetValue
	sheetFormula
	sheetText
	sheetLine
	sheetHidden
	sheetHeader
)

// workbook reads a spreadsheet.
func (b *builder) workbook() error {
	main, all, err := b.main()
	if err != nil {
		return err
	}
	book := &bookReader{builder: b}
	if err := b.quietly(main, book); err != nil {
		return err
	}
	if !book.is {
		return errForeign
	}
	formats := &formatReader{builder: b, codes: map[string]string{}}
	if err := b.quietly(main, formats); err != nil {
		return err
	}
	for _, rel := range of(all, "styles") {
		if m := b.doc.pack.find(rel.target); m != nil && !b.seen[m] {
			p, err := b.load(m)
			if err != nil {
				return err
			}
			if err := b.quietly(p, formats); err != nil {
				return err
			}
		}
	}
	b.where = location{}
	shared := &sharedReader{builder: b}
	if err := b.each(all, "sharedStrings", inSheet, shared, nil); err != nil {
		return err
	}
	b.lines = nil
	for _, s := range book.sheets {
		rel, ok := byID(all, s[1])
		m := b.doc.pack.find(rel.target)
		if !ok || m == nil {
			continue
		}
		if err := b.sheet(m, rel, s[0], shared.strings, formats); err != nil {
			return err
		}
	}
	for _, l := range shared.strings {
		if len(l.location.cells) == 0 {
			b.doc.Hidden = append(b.doc.Hidden, Hidden{"text of no cell", string(l.text)})
		}
	}
	b.where = location{}
	b.lockNamed()
	return b.rest()
}

// lockNamed locks header cells whose column is named in a formula.
func (b *builder) lockNamed() {
	for _, l := range b.lines {
		for _, c := range l.copies {
			if c.segments == nil || c.segments[0].kind != value {
				continue
			}
			for _, f := range b.formulas {
				if strings.Contains(f, "["+string(l.text)+"]") || strings.Contains(f, "[@"+string(l.text)+"]") {
					l.lock = b.locked("formulas name the column by it")
				}
			}
		}
	}
}

// A bookReader reads the list of sheets and the defined names of a workbook.
type bookReader struct {
	*builder
	is     bool
	sheets [][2]string // name and relation
}

func (r *bookReader) opens(name string) error {
	switch name {
	case "s:workbook":
		r.is = true
	case "s:sheet":
		r.sheets = append(r.sheets, [2]string{r.s.value("name"), r.s.value("r:id")})
		r.where = location{}
		r.hide("name of a sheet", r.s.value("name"))
	case "s:definedName":
		r.where = location{}
		r.hide("defined name", r.s.value("name"))
		r.hides(sheetHidden)
	}
	return nil
}

func (r *bookReader) closes(action) error {
	r.hid("defined name")
	return nil
}

// A sharedReader reads the shared strings.
type sharedReader struct {
	*builder
	strings []*line
}

func (r *sharedReader) opens(name string) error {
	switch name {
	case "s:si":
		r.act = sheetLine
		r.strings = append(r.strings, r.begin())
	case "s:rPh":
		r.hides(sheetHidden)
	case "s:t":
		if r.mode != hidden {
			r.act, r.mode = sheetText, shown
			r.text(false)
		}
	}
	return nil
}

func (r *sharedReader) closes(act action) error {
	switch act {
	case sheetLine:
		r.end()
	case sheetText:
		r.ended()
	case sheetHidden:
		r.hid("how a text is read aloud")
	}
	return nil
}

// sheet reads a sheet and the parts that it refers to.
func (b *builder) sheet(m *member, rel relation, name string, shared []*line, formats *formatReader) error {
	own, err := b.relations(m.name)
	if err != nil {
		return err
	}
	r := &sheetReader{builder: b, relations: own, name: name, strings: shared, formats: formats, headers: map[[2]int32]*column{}, threads: map[string]bool{}}
	if err := b.each(own, "table", inSheet, &columnReader{builder: b, headers: r.headers, sheet: name}, nil); err != nil {
		return err
	}
	sheet := "sheet " + name
	b.where = location{in: sheet}
	if err := b.each([]relation{rel}, rel.kind, inSheet, r, nil); err != nil {
		return err
	}
	for _, target := range r.links {
		b.where = location{in: sheet}
		b.link(target)
	}
	if err := b.each(own, "threadedComment", inSheet, &commentReader{builder: b, sheet: sheet, threads: r.threads}, nil); err != nil {
		return err
	}
	if err := b.each(own, "comments", inSheet, &commentReader{builder: b, sheet: sheet, threads: r.threads}, nil); err != nil {
		return err
	}
	d := b.drawing(nil)
	return b.each(own, "drawing", inSlide, d, func(rel relation, _ int) (err error) {
		d.where = location{in: sheet + " text box"}
		d.relations, err = b.relations(rel.target)
		return err
	})
}

func (r *sheetReader) opens(name string) error {
	switch name {
	case "s:sheetPr", "s:sheetViews", "s:cols", "s:mergeCells":
		r.skip = true
	case "s:row":
		r.row++
		if n, err := strconv.Atoi(r.s.value("r")); err == nil && n > 0 {
			r.row = int32(n)
		}
		r.column = 0
	case "s:c":
		r.column++
		r.cell()
	case "s:f":
		r.formula = true
		r.where = location{in: fmt.Sprintf("sheet %s cell %s", r.name, cellName(r.column, r.row))}
		r.hides(sheetFormula)
	case "s:v":
		r.hides(sheetValue)
	case "s:is":
		r.act = sheetLine
		l := r.begin()
		l.location = location{cells: r.area(r.here())}
	case "s:t":
		if r.current() != nil && r.mode != hidden {
			r.act, r.mode = sheetText, shown
			r.text(false)
		}
	case "s:rPh":
		r.hides(sheetHidden)
	default:
		r.around(name)
	}
	return nil
}

// cell reads the attributes of a cell.
func (r *sheetReader) cell() {
	var kind, style []byte
	for all := r.s.attributes(); all.Next(); {
		value := all.Bytes(all.Value)
		switch string(all.Bytes(all.Name)) {
		case "r":
			if c, row := cellAt(value); c > 0 {
				r.column, r.row = c, row
			}
		case "t":
			kind = value
		case "s":
			style = value
		}
	}
	if string(kind) != r.kind {
		r.kind = string(kind)
	}
	if string(style) != r.style {
		r.style = string(style)
	}
	r.formula = false
}

// around reads the elements after a sheet's cells, such as links and headers.
func (r *sheetReader) around(name string) {
	sheet := "sheet " + r.name
	switch name {
	case "s:hyperlink":
		if rel, ok := byID(r.relations, r.s.value("r:id")); ok {
			r.links = append(r.links, rel.link())
		}
		r.where = location{in: sheet}
		r.hide("tooltip of a link", r.s.value("tooltip"))
	case "s:formula", "s:formula1", "s:formula2", "s:filter", "s:customFilter", "xm:f":
		r.where = location{in: sheet}
		r.hide("filter", r.s.value("val"))
		r.hides(sheetHidden)
	case "s:dataValidation":
		r.where = location{in: sheet}
		for _, a := range []string{"prompt", "promptTitle", "error", "errorTitle"} {
			r.hide("validation", r.s.value(a))
		}
	case "s:oddHeader", "s:evenHeader", "s:firstHeader", "s:oddFooter", "s:evenFooter", "s:firstFooter":
		what := " header"
		if strings.HasSuffix(name, "Footer") {
			what = " footer"
		}
		r.act, r.mode = sheetHeader, shown
		r.where, r.flavor = location{in: sheet + what}, inHeader
		r.text(true)
		r.begin()
	}
}

// here returns the current cell.
func (r *sheetReader) here() area { return area{r.name, r.column, r.row, r.column, r.row} }

func (r *sheetReader) closes(act action) error {
	switch act {
	case sheetFormula:
		r.formulas = append(r.formulas, string(r.hiding))
		r.hid("formula")
	case sheetValue:
		r.value(r.hiding)
		r.hiding = r.hiding[:0]
	case sheetText:
		r.ended()
	case sheetLine:
		l := r.current()
		r.end()
		r.names(l)
	case sheetHeader:
		r.ended()
		r.flavor = inSheet
		l := r.current()
		r.end()
		if !slices.ContainsFunc(l.segments, func(g segment) bool { return g.lock == 0 }) { // only codes
			r.lines = r.lines[:len(r.lines)-1]
		}
	case sheetHidden:
		r.hid("rule for cells")
	}
	return nil
}

// value shows a cell's value.
func (r *sheetReader) value(text []byte) {
	if r.kind == "s" && !r.formula {
		n, err := strconv.Atoi(string(bytes.TrimSpace(text)))
		if err != nil || n < 0 || n >= len(r.strings) {
			return
		}
		l := r.strings[n]
		if len(l.location.cells) == 0 {
			r.lines = append(r.lines, l)
		}
		if l.location.cells == nil {
			l.location.cells = r.area(r.here())
		} else {
			l.location.cells = with(l.location.cells, r.here())
		}
		r.names(l)
		return
	}
	if len(text) == 0 {
		return
	}
	why := "the cell holds no text"
	if r.formula {
		why = "it is the result of a formula"
	}
	if shown := r.reads(string(text)); shown != string(text) {
		if r.kind != "b" {
			r.where = location{in: fmt.Sprintf("sheet %s cell %s", r.name, cellName(r.column, r.row))}
			r.hide("stored value", string(text))
		}
		text = []byte(shown)
	}
	if bytes.IndexByte(text, '\n') >= 0 {
		text = oneLine(string(text))
	}
	l := r.line()
	l.text, l.lock, l.location = append(l.text, text...), r.locked(why), location{cells: r.area(r.here())}
	r.lines = append(r.lines, l)
}

// reads returns what a reader sees of a value that is no text.
func (r *sheetReader) reads(stored string) string {
	switch {
	case r.kind == "b" && stored == "1":
		return "TRUE"
	case r.kind == "b":
		return "FALSE"
	case r.kind == "" || r.kind == "n":
		return r.formats.shown(stored, r.style)
	}
	return stored
}

// names makes the name of a table's column a copy of the line of its header cell.
func (r *sheetReader) names(l *line) {
	c := r.headers[[2]int32{r.column, r.row}]
	switch {
	case c == nil:
	case !bytes.Equal(l.text, c.line.text):
		l.lock = r.locked("a table calls its column otherwise")
	default:
		l.copies = append(l.copies, c.line)
		c.line.paired = true
	}
}
