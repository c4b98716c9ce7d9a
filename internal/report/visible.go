package report

import (
	"errors"
	"io/fs"
	"strconv"
	"strings"
	"unicode/utf8"

	"frizzel/internal/terminal"
)

// Path returns a path for a message. It is quoted if it contains invisible characters.
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
