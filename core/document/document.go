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

// A Kind is a family of documents.
type Kind int

const (
	None         Kind = iota
	openPackage       // OpenDocument, a zip file
	openFlat          // OpenDocument, a single XML file
	word              // Office Open XML
	sheets            // Office Open XML
	presentation      // Office Open XML
	pages             // EPUB
)

// kinds maps file suffixes to families.
var kinds = map[string]Kind{
	".odt": openPackage, ".ods": openPackage, ".odp": openPackage, ".ott": openPackage, ".ots": openPackage, ".otp": openPackage,
	".odg": openPackage, ".otg": openPackage,
	".fodt": openFlat, ".fods": openFlat, ".fodp": openFlat, ".fodg": openFlat,
	".docx": word, ".docm": word, ".dotx": word, ".dotm": word,
	".xlsx": sheets, ".xlsm": sheets, ".xltx": sheets, ".xltm": sheets,
	".pptx": presentation, ".pptm": presentation, ".potx": presentation, ".potm": presentation, ".ppsx": presentation, ".ppsm": presentation,
	".epub": pages,
}

// KindOf returns the family that a file's suffix names, or None.
func KindOf(name string) Kind { return kinds[strings.ToLower(path.Ext(name))] }

// Claims reports whether a file's name and its first bytes are those of a document: a zip file, an XML file
// if the suffix is that of a flat document, or an encrypted document's compound file.
func Claims(name string, head []byte) bool {
	switch KindOf(name) {
	case None:
		return false
	case openFlat:
		return bytes.Contains(head, []byte("urn:oasis:names:tc:opendocument:xmlns:office:1.0"))
	}
	return bytes.HasPrefix(head, []byte("PK\x03\x04")) || bytes.HasPrefix(head, []byte(compound))
}

// unread are the suffixes of documents in older formats, and in others that are not read.
var unread = map[string]bool{
	".doc": true, ".dot": true, ".xls": true, ".xlt": true, ".xlsb": true, ".ppt": true, ".pot": true, ".pps": true, ".rtf": true,
	".sxw": true, ".sxc": true, ".sxi": true, ".sxd": true, ".stw": true, ".stc": true, ".sti": true, ".std": true,
}

// Old reports whether a file's name and its first bytes are those of a document in a format that is not read. A
// plain text may have such a name.
func Old(name string, head []byte) bool {
	if !unread[strings.ToLower(path.Ext(name))] {
		return false
	}
	return bytes.HasPrefix(head, []byte(`{\rtf`)) || bytes.IndexByte(head, 0) >= 0
}

// compound is the signature of a compound file, the container of encrypted documents.
const compound = "\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1"

// Errors of Read.
var (
	ErrEncrypted = errors.New("it is encrypted")
	errForeign   = errors.New("it is a zip file, but not of the kind that its name says")
)

// A DamagedError reports an invalid package or part.
type DamagedError struct{ Reason string }

func (e *DamagedError) Error() string { return e.Reason }

func damaged(format string, args ...any) error { return &DamagedError{fmt.Sprintf(format, args...)} }

// A Document is an office document as a text.
type Document struct {
	Text []byte // lines, each ended by a newline
	// Hidden are the texts that are not in Text, in document order.
	Hidden []Hidden
	// Embedded are the names of embedded files, which are not read.
	Embedded []string

	name   string
	raw    []byte
	kind   Kind
	pack   *archive // nil for a flat document
	parts  []*part
	lines  []*line
	starts []int // offsets of the lines in Text
	texts  []textElement
	locks  []string
	signed bool
}

// A Hidden is a text that a reader does not see, and its place for messages.
type Hidden struct{ Place, Text string }

// Read reads a document. It retains raw. The error is a *DamagedError or one of the errors above.
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
	case pages:
		err = b.publication()
	}
	if err != nil {
		return nil, err
	}
	b.finish()
	return d, nil
}

// lineAt returns the 0-based line that contains the text's byte at.
func (d *Document) lineAt(at int) int {
	return sort.Search(len(d.starts), func(i int) bool { return d.starts[i] > at }) - 1
}

// Place names the place of a 1-based line in the document's terms, such as "sheet Boards cell C7". It
// returns "" if the line does not exist.
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

// Locked returns why text[start:end] must not be changed, or, if the range is empty, why nothing can be
// inserted there; "" if it may.
func (d *Document) Locked(start, end int) string {
	first := d.lineAt(start)
	if first < 0 || end > len(d.Text) {
		return ""
	}
	l := d.lines[first]
	at := d.starts[first]
	if end > at+len(l.text) { // a range over several lines is refused elsewhere
		return ""
	}
	if _, _, err := d.target(l, start-at, end-at); err != nil {
		return err.Error()
	}
	return ""
}
