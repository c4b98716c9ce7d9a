package report

import (
	"errors"
	"io/fs"
	"strconv"
	"strings"
	"unicode/utf8"

	"frizzel/internal/terminal"
)

// Path writes a path for a message: as it is, or quoted where it holds what cannot
// be seen.
func Path(path string) string {
	if utf8.ValidString(path) && terminal.Visible([]byte(path)) == path && !strings.Contains(path, "\t") {
		return path
	}
	return strconv.QuoteToGraphic(path)
}

// Reason returns what went wrong with a file, without its path, which the message
// has already.
func Reason(err error) string {
	var e *fs.PathError
	if errors.As(err, &e) {
		return e.Err.Error()
	}
	return err.Error()
}
