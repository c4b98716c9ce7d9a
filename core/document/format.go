package document

import (
	"strconv"
	"strings"
	"time"
)

// A formatReader reads the formats of cells from a workbook's styles.
type formatReader struct {
	*builder
	codes  map[string]string // of number formats that the workbook defines, by their ids
	cells  []string          // the code of each cell format
	inside bool              // the cell formats, not those of named styles
	year0  time.Time         // what the workbook counts days from
}

// builtIn are the codes of number formats that a workbook need not define, where they are dates, times or percentages
// (ISO/IEC 29500-1, 18.8.30).
var builtIn = map[string]string{
	"9": "0%", "10": "0.00%", "14": "y-m-d", "15": "y-m-d", "16": "y-m-d", "17": "y-m-d", "18": "h:m", "19": "h:m:s", "20": "h:m", "21": "h:m:s",
	"22": "y-m-d h:m", "45": "m:s", "46": "[h]:m:s", "47": "m:s",
}

func (r *formatReader) opens(name string) error {
	switch name {
	case "s:workbookPr":
		if v := r.s.value("date1904"); v == "1" || v == "true" {
			r.year0 = time.Date(1904, 1, 1, 0, 0, 0, 0, time.UTC)
		}
	case "s:numFmt":
		code := r.s.value("formatCode")
		r.codes[r.s.value("numFmtId")] = code
		r.where = location{in: "number format"}
		r.hide("", strings.TrimSpace(literals(code)))
	case "s:cellXfs":
		r.inside = true
	case "s:cellStyles", "s:dxfs":
		r.inside = false
	case "s:cellStyle":
		if r.s.value("builtinId") == "" {
			r.where = location{}
			r.hide(nameOfStyle, r.s.value("name"))
		}
	case "s:xf":
		if r.inside {
			id := r.s.value("numFmtId")
			code, ok := r.codes[id]
			if !ok {
				code = builtIn[id]
			}
			r.cells = append(r.cells, code)
		}
	}
	return nil
}

func (r *formatReader) closes(action) error { return nil }

// literals returns the texts in quotes of a number format.
func literals(code string) string {
	parts := strings.Split(code, `"`)
	var out []string
	for i := 1; i < len(parts); i += 2 {
		out = append(out, parts[i])
	}
	return strings.Join(out, " ")
}

// bareCode returns the first section of a number format without its literal texts, its colours and its conditions.
func bareCode(code string) string {
	var b strings.Builder
	for i := 0; i < len(code); i++ {
		switch c := code[i]; c {
		case ';':
			return b.String()
		case '"':
			for i++; i < len(code) && code[i] != '"'; i++ {
			}
		case '\\', '_', '*':
			i++
		case '[':
			end := strings.IndexByte(code[i:], ']')
			if end < 0 {
				return b.String()
			}
			if inner := strings.ToLower(code[i+1 : i+end]); strings.Trim(inner, "hms") == "" {
				b.WriteString("[" + inner + "]")
			}
			i += end
		default:
			b.WriteString(strings.ToLower(string(rune(c))))
		}
	}
	return b.String()
}

// shown returns what a reader sees of a number in a cell of a format, in ISO 8601 where it is a date or a time: a percentage,
// a date, or the number as it is stored.
func (r *formatReader) shown(stored, style string) string {
	n, err := strconv.Atoi(style)
	if err != nil || n < 0 || n >= len(r.cells) {
		return stored
	}
	code := bareCode(r.cells[n])
	value, err := strconv.ParseFloat(stored, 64)
	switch {
	case err != nil || code == "" || strings.HasPrefix(code, "general"):
		return stored
	case strings.Contains(code, "%"):
		digits := strings.IndexByte(code, '%') - strings.IndexByte(code, '.') - 1
		if strings.IndexByte(code, '.') < 0 {
			digits = 0
		}
		return strconv.FormatFloat(value*100, 'f', max(digits, 0), 64) + "%"
	case strings.ContainsAny(code, "ydhs"):
		return r.moment(value, code)
	}
	return stored
}

// moment returns a date, a time, or both, of the number of days since the workbook's beginning.
func (r *formatReader) moment(days float64, code string) string {
	const mostDays = 2_958_466 // the year 10000
	if days < 0 || days >= mostDays {
		return strconv.FormatFloat(days, 'f', -1, 64)
	}
	seconds := int64(days*86400 + 0.5)
	clock := "15:04"
	if strings.Contains(code, "s") {
		clock = "15:04:05"
	}
	switch {
	case strings.Contains(code, "["): // a duration
		return strconv.FormatInt(seconds/3600, 10) + time.Unix(seconds%3600, 0).UTC().Format(":04:05")
	case !strings.ContainsAny(code, "yd"):
		return time.Unix(seconds%86400, 0).UTC().Format(clock)
	}
	zero := r.year0
	if zero.IsZero() {
		zero = time.Date(1899, 12, 30, 0, 0, 0, 0, time.UTC) // with the day in 1900 that there was not
		if days < 60 {
			zero = zero.AddDate(0, 0, 1)
		}
	}
	at := zero.Add(time.Duration(seconds/86400) * 24 * time.Hour).Add(time.Duration(seconds%86400) * time.Second)
	if strings.ContainsAny(code, "hs") {
		return at.Format("2006-01-02 " + clock)
	}
	return at.Format(time.DateOnly)
}
