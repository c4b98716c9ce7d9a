package document

import (
	"bytes"
)

// A columnReader reads the column names of a table.
type columnReader struct {
	*builder
	sheet   string
	headers map[[2]int32]*column

	at, row int32
	no      bool // the table has no header row
}

func (r *columnReader) opens(name string) error {
	switch name {
	case "s:table":
		first, _, _ := bytes.Cut([]byte(r.s.value("ref")), []byte(":"))
		r.at, r.row = cellAt(first)
		r.no = r.s.value("headerRowCount") == "0"
		r.where = location{in: "sheet " + r.sheet}
		r.hide("name of a table", r.s.value("displayName"))
	case "s:tableColumn":
		from, to := r.s.attributeAt("name")
		if from < 0 {
			return nil
		}
		if r.no {
			r.hide("column of a table", r.s.value("name"))
			return nil
		}
		l := &line{location: location{in: "column of a table"}, spare: true}
		r.open = append(r.open, l)
		b := r.builder
		err := b.pieces(from, to)
		r.open = r.open[:len(r.open)-1]
		for i := range l.segments {
			l.segments[i].kind, l.segments[i].element = value, -1
		}
		r.headers[[2]int32{r.at, r.row}] = &column{string(l.text), l}
		r.at++
		return err
	}
	return nil
}

func (r *columnReader) closes(action) error { return nil }

// A commentReader reads the comments of a sheet.
type commentReader struct {
	*builder
	sheet   string
	threads map[string]bool
}

func (r *commentReader) opens(name string) error {
	switch name {
	case "s:comment", "tc:threadedComment":
		ref := r.s.value("ref")
		r.where = location{in: r.sheet + " comment at " + ref}
		if name == "tc:threadedComment" {
			r.threads[ref] = true
		} else if r.threads[ref] { // a copy of a threaded comment for older readers
			r.hides(sheetHidden)
		}
	case "s:text":
		if r.mode != hidden {
			r.act = sheetLine
			r.begin()
		}
	case "s:t", "tc:text":
		if r.mode == hidden {
			return nil
		}
		r.act, r.mode = sheetText, shown
		r.text(name != "s:t")
		if r.current() == nil {
			r.begin()
			r.act = sheetHeader // the element's text is a line
		}
	}
	return nil
}

func (r *commentReader) closes(act action) error {
	switch act {
	case sheetLine:
		r.end()
	case sheetText, sheetHeader:
		r.ended()
		if act == sheetHeader {
			r.end()
		}
	case sheetHidden:
		r.hid("for older readers")
	}
	return nil
}
