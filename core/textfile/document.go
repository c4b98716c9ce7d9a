package textfile

import (
	"fmt"

	"frizzel/core/document"
)

// DocumentError is the error of an office document that cannot be read.
type DocumentError struct{ Err error }

func (e *DocumentError) Error() string { return e.Err.Error() }
func (e *DocumentError) Unwrap() error { return e.Err }

// OfDocument reads an office document, for which document.Claims reports true. The File retains raw. The error is
// a *DocumentError.
func OfDocument(name string, raw []byte) (*File, error) {
	d, err := document.Read(name, raw)
	if err != nil {
		return nil, &DocumentError{err}
	}
	return &File{Raw: raw, Text: d.Text, Document: d, encoding: utf8Plain}, nil
}

// errEncoding is the reason of a document that was to be in another encoding.
type errEncoding struct{ name string }

func (e errEncoding) Error() string {
	return fmt.Sprintf("a document is written as its format says, not in %s", e.name)
}
