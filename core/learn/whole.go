package learn

import (
	"bytes"
	"fmt"

	"frizzel/core/lines"
)

// whole proposes what is about whole files: encodings, endings of lines, white space at their ends, blank lines.
func (l *learner) whole() {
	crlf, lf := true, true
	for _, s := range l.states {
		n := bytes.Count(s.New, []byte("\n"))
		returns := bytes.Count(s.New, []byte("\r\n"))
		crlf, lf = crlf && n == returns && n > 0, lf && returns == 0
	}
	if crlf {
		l.try("use line endings crlf", General)
	}
	if lf {
		l.try("use line endings lf", General)
	}
	l.try("trim line ends", General)
	l.try("use final line ending", General)
	for to := range 4 {
		if to == 1 {
			l.try("squeeze blank lines", General)
		} else {
			l.try(fmt.Sprintf("squeeze blank lines to %d", to), General)
		}
	}
}

// ending returns the line ending of a text.
func ending(text []byte) string {
	if e := lines.FirstEnding(text); e != "" {
		return e
	}
	return "\n"
}
