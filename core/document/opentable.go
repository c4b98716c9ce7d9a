package document

import (
	"bytes"
)

// table reads the elements of tables and sheets.
func (r *openReader) table(name string) {
	switch name {
	case "table:table":
		r.push(openRestore)
		if r.book && r.state.where.in == "" {
			r.sheet = r.s.value("table:name")
			r.where = location{}
			r.hide("name of a sheet", r.sheet)
		}
		r.state.where.row, r.state.where.column = 0, 0
	case "table:table-row":
		r.state.where.row++
		if n := number(r.s.value("table:number-rows-repeated")); n > 1 {
			r.push(openRestore)
			r.state.level = n
			r.stack[len(r.stack)-1].where.row += n - 1
		} else {
			r.state.level = 1
		}
		r.state.where.column = 0
	case "table:table-cell", "table:covered-table-cell":
		r.cell()
	case "table:shapes", "table:desc", "table:title":
		r.push(openRestore)
		r.state.cell = nil
	case "table:named-range", "table:named-expression":
		r.where = location{}
		r.hide("defined name", r.s.value("table:name"))
		r.hide("defined name", r.s.value("table:cell-range-address"))
		r.hide("defined name", r.s.value("table:expression"))
	case "table:content-validation":
		r.where = location{}
		r.hide("validation", r.s.value("table:condition"))
	case "table:filter-condition", "table:filter-set-item":
		r.hide("filter", r.s.value("table:value"))
	}
}

// cell reads a cell of a table.
func (r *openReader) cell() {
	r.state.where.column++
	column := r.state.where.column
	t := r.cellTag()
	n := number(string(t.repeated))
	r.push(openCellEnd)
	r.stack[len(r.stack)-1].where.column += n - 1
	if r.sheet == "" {
		return
	}
	row, last := int32(r.state.where.row), int32(max(r.state.level, 1)-1)
	if r.s.empty && t.formula == nil {
		return
	}
	if len(r.cells) == 0 {
		r.cells = make([]openCell, 64)
	}
	c := &r.cells[0]
	r.cells = r.cells[1:]
	c.area = area{r.sheet, int32(column), row, int32(column + n - 1), row + last}
	if f := unescaped(t.formula); f != "" {
		r.where = location{in: "sheet " + r.sheet + " cell " + c.area.String()}
		r.hide("formula", f)
		c.lock = r.locked("it is the result of a formula")
	} else if len(t.kind) > 0 && string(t.kind) != "string" {
		c.lock, c.value = r.locked("the cell holds no text"), unescaped(t.value)
	} else if t.text {
		c.lock = r.locked("the cell keeps its text twice")
	}
	r.state.cell = c
}

// A cellTag has the raw attributes of a cell's tag.
type cellTag struct {
	repeated, formula, kind []byte
	value                   []byte // as it is stored, of a cell that is no text
	text                    bool   // the cell's text is also an attribute
}

func (r *openReader) cellTag() (t cellTag) {
	for all := r.s.attributes(); all.Next(); {
		name, value := all.Bytes(all.Name), all.Bytes(all.Value)
		_, local, _ := bytes.Cut(name, []byte(":"))
		switch string(local) {
		case "number-columns-repeated":
			t.repeated = value
		case "formula":
			t.formula = value
		case "value-type":
			if t.kind == nil || bytes.HasPrefix(name, []byte("office")) {
				t.kind = value
			}
		case "value", "date-value", "time-value":
			t.value = value
		case "string-value":
			t.text = true
		}
	}
	return t
}
