package document

import (
	"fmt"
	"strings"
)

// An area is a rectangle of a sheet's cells.
type area struct {
	sheet               string
	column, row         int32 // from 1
	lastColumn, lastRow int32
}

// maxAreas is the number of areas that a place lists before it is shortened.
const maxAreas = 12

// with appends a to all. Adjacent cells of one column become one area.
func with(all []area, a area) []area {
	if n := len(all); n > 0 && below(all[n-1], a) {
		all[n-1].lastRow = a.lastRow
		return all
	}
	return append(all, a)
}

// areas formats areas for a message: sheet Boards cells C7, C9:C12; sheet Points cell A1.
func areas(all []area) string {
	var b strings.Builder
	for i, a := range all {
		switch {
		case i == maxAreas:
			fmt.Fprintf(&b, " and %d more", len(all)-i)
			return b.String()
		case i == 0 || a.sheet != all[i-1].sheet:
			if i > 0 {
				b.WriteString("; ")
			}
			b.WriteString("sheet " + a.sheet + " cell" + plural(all[i:]) + " ")
		default:
			b.WriteString(", ")
		}
		b.WriteString(a.String())
	}
	return b.String()
}

// plural returns "s" if the leading areas of one sheet contain several cells.
func plural(all []area) string {
	if len(all) > 1 && all[1].sheet == all[0].sheet || all[0].String() != cellName(all[0].column, all[0].row) {
		return "s"
	}
	return ""
}

func below(a, b area) bool {
	return a.sheet == b.sheet && a.column == b.column && a.lastColumn == b.lastColumn && a.lastRow+1 == b.row
}

func (a area) String() string {
	first := cellName(a.column, a.row)
	if last := cellName(a.lastColumn, a.lastRow); last != first {
		return first + ":" + last
	}
	return first
}

// cellName returns a cell's name, such as C7.
func cellName(column, row int32) string {
	var letters []byte
	for ; column > 0; column = (column - 1) / 26 {
		letters = append([]byte{byte('A' + (column-1)%26)}, letters...)
	}
	return fmt.Sprintf("%s%d", letters, row)
}

// cellAt parses a cell's name, such as C7. It returns zeros if name is invalid.
func cellAt(name []byte) (column, row int32) {
	i := 0
	for ; i < len(name) && name[i] >= 'A' && name[i] <= 'Z' && i < 4; i++ {
		column = column*26 + int32(name[i]-'A') + 1
	}
	for ; i < len(name); i++ {
		if name[i] < '0' || name[i] > '9' || row > 1<<24 {
			return 0, 0
		}
		row = row*10 + int32(name[i]-'0')
	}
	return column, row
}
