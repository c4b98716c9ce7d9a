package document

import (
	"bytes"
	"errors"
	"fmt"
	"path"
	"sort"
	"strings"

	"frizzel/core/outline"
)

// Kind is a family of documents.
type Kind int

const (
	None         Kind = iota
	openPackage       // OpenDocument, a zip file
	openFlat          // OpenDocument, a single XML file
	word              // Office Open XML
	sheets            // the same
	presentation      // the same
)

// kinds are the families by the ends of files' names.
var kinds = map[string]Kind{
	".odt": openPackage, ".ods": openPackage, ".odp": openPackage, ".ott": openPackage, ".ots": openPackage, ".otp": openPackage,
	".fodt": openFlat, ".fods": openFlat, ".fodp": openFlat,
	".docx": word, ".docm": word, ".dotx": word, ".dotm": word,
	".xlsx": sheets, ".xlsm": sheets, ".xltx": sheets, ".xltm": sheets,
	".pptx": presentation, ".pptm": presentation, ".potx": presentation, ".potm": presentation, ".ppsx": presentation, ".ppsm": presentation,
}

// KindOf tells by its name what family a file is to be of; None for no document.
func KindOf(name string) Kind { return kinds[strings.ToLower(path.Ext(name))] }

// Claims reports whether a file is a document, or is meant to be one, by its name and its first
// bytes: a zip file, an XML file where it is to be flat, or what stands under such names when it
// is encrypted.
func Claims(name string, head []byte) bool {
	switch KindOf(name) {
	case None:
		return false
	case openFlat:
		return bytes.Contains(head, []byte("urn:oasis:names:tc:opendocument:xmlns:office:1.0"))
	}
	return bytes.HasPrefix(head, []byte("PK\x03\x04")) || bytes.HasPrefix(head, []byte(compound))
}

// compound begins a compound file, in which encrypted documents stand.
const compound = "\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1"

// Why a document is not read.
var (
	ErrEncrypted = errors.New("it is encrypted")
	errForeign   = errors.New("it is a zip file, but not of the kind that its name says")
)

// DamagedError is the error of a package or a part that is not as it should be.
type DamagedError struct{ Reason string }

func (e *DamagedError) Error() string { return e.Reason }

func damaged(format string, args ...any) error { return &DamagedError{fmt.Sprintf(format, args...)} }

// Document is an office document as a text.
type Document struct {
	Text []byte // lines, each with a line feed behind it
	// Hidden are the texts that no line shows, in document order.
	Hidden []Hidden
	// Embedded are the names of files in it that are not looked into.
	Embedded []string

	name   string
	raw    []byte
	kind   Kind
	pack   *archive // nil of a flat one
	parts  []*part
	lines  []*line
	starts []int // of the lines, in Text
	texts  []textElement
	locks  []string
	signed bool
}

// Hidden is a text that is not part of what a reader sees, and where it stands.
type Hidden struct{ Place, Text string }

// Read reads a document, which keeps raw. The error says why it cannot be one.
func Read(name string, raw []byte) (*Document, error) {
	d := &Document{name: name, raw: raw, kind: KindOf(name), locks: []string{""}}
	if bytes.HasPrefix(raw, []byte(compound)) {
		return nil, ErrEncrypted
	}
	b := &builder{doc: d}
	if d.kind == openFlat {
		if err := b.flat(); err != nil {
			return nil, err
		}
		b.finish()
		return d, nil
	}
	var err error
	if d.pack, err = unpack(raw); err != nil {
		return nil, err
	}
	switch d.kind {
	case openPackage:
		err = b.openDocument()
	case word:
		err = b.word()
	case sheets:
		err = b.workbook()
	case presentation:
		err = b.slides()
	}
	if err != nil {
		return nil, err
	}
	b.finish()
	return d, nil
}

// lineAt returns the number of the line, from 0, that a byte of the text is in.
func (d *Document) lineAt(at int) int {
	return sort.Search(len(d.starts), func(i int) bool { return d.starts[i] > at }) - 1
}

// Place says in the document's own words where a line, from 1, stands; "" of one that is not
// there.
func (d *Document) Place(line int) string {
	if line < 1 || line > len(d.lines) {
		return ""
	}
	return d.lines[line-1].location.String()
}

// Headings returns the document's headings, in order.
func (d *Document) Headings() (all []outline.Heading) {
	for i, l := range d.lines {
		if l.level > 0 {
			all = append(all, outline.Heading{Line: i, Level: l.level})
		}
	}
	return all
}

// Locked returns why text[start:end] of a line must not be changed, or why nothing can be put
// where both are the same; "" where it can.
func (d *Document) Locked(start, end int) string {
	first := d.lineAt(start)
	if first < 0 || end > len(d.Text) {
		return ""
	}
	l := d.lines[first]
	at := d.starts[first]
	if end > at+len(l.text) { // over several lines, which is refused as a whole
		return ""
	}
	if _, _, err := d.target(l, start-at, end-at); err != nil {
		return err.Error()
	}
	return ""
}
