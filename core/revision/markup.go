package revision

import (
	"bytes"
	"fmt"
	"strings"
	"unicode/utf8"

	"frizzel/core/edit"
	"frizzel/core/program"
	"frizzel/core/syntax"
	"frizzel/core/textfile"
	"frizzel/core/tree"
)

// A DeclarationError reports that a file of XML would declare another encoding than the one it is written in.
type DeclarationError struct{ Declared, Written string }

func (e *DeclarationError) Error() string {
	if e.Declared == "" {
		return fmt.Sprintf("an XML file in %s has to declare that; change its first line, too", e.Written)
	}
	return fmt.Sprintf("the XML file would declare the encoding %s and be written in %s; let the declaration and use encoding say the same", e.Declared, e.Written)
}

// inMarkup makes character references of what a file of XML cannot hold in its encoding, in the places where a reference
// may stand, and asks that it declares the encoding that it is to be in, if to names one. Other files' edits are
// returned as they are.
func inMarkup(p *program.Program, file *textfile.File, in program.Input, edits edit.List, to string) (edit.List, error) {
	if file.Document != nil || syntax.Of(in.File.Path) != syntax.XML && p.Syntax(in.File) != syntax.XML {
		return edits, nil
	}
	var fresh []byte
	if to != "" || touchesDeclaration(file.Text, edits) {
		fresh = edits.Apply(file.Text)
		if err := declares(file, fresh, to); err != nil {
			return edits, err
		}
	}
	if to != "" || !lacking(file, edits) {
		return edits, nil
	}
	if fresh == nil {
		fresh = edits.Apply(file.Text)
	}
	doc, err := tree.Parse(syntax.XML, fresh)
	if err != nil {
		return edits, nil // the encoding says what it lacks
	}
	out := make(edit.List, len(edits))
	grown := 0
	for i, e := range edits {
		out[i] = e
		out[i].New = referenced(file, doc, e.New, e.Start+grown)
		grown += len(e.New) - (e.End - e.Start)
	}
	return out, nil
}

// referenced writes references for the characters of a text that the file cannot hold, where they stand in text or in an
// attribute of the changed document, in which the text begins at the byte at.
func referenced(file *textfile.File, doc *tree.Document, text []byte, at int) []byte {
	var b bytes.Buffer
	for i := 0; i < len(text); {
		r, size := utf8.DecodeRune(text[i:])
		if r >= utf8.RuneSelf && !file.Holds(r) && doc.TakesReference(at+i) {
			fmt.Fprintf(&b, "&#x%X;", r)
		} else {
			b.Write(text[i : i+size])
		}
		i += size
	}
	return b.Bytes()
}

// lacking reports whether edits write a character that the file's encoding has not.
func lacking(file *textfile.File, edits edit.List) bool {
	for _, e := range edits {
		if bytes.IndexFunc(e.New, func(r rune) bool { return r >= utf8.RuneSelf && !file.Holds(r) }) >= 0 {
			return true
		}
	}
	return false
}

// touchesDeclaration reports whether an edit changes the first line of an XML file, which may declare its encoding.
func touchesDeclaration(text []byte, edits edit.List) bool {
	if len(edits) == 0 {
		return false
	}
	end := bytes.Index(text, []byte("?>"))
	return !bytes.HasPrefix(text, []byte("<?xml")) && edits[0].Start == 0 || end >= 0 && edits[0].Start < end
}

// declares returns an error if a text of XML declares another encoding than the one that it is to be in.
func declares(file *textfile.File, text []byte, to string) error {
	written := file.Encoding()
	if to != "" {
		e, err := textfile.EncodingNamed(to)
		if err != nil {
			return nil // which is another error
		}
		written = e.Name()
	}
	said := textfile.DeclaredByXML(text)
	plain := func(name string) string {
		name = strings.ToLower(strings.TrimSuffix(name, "-bom"))
		if e, err := textfile.EncodingNamed(name); err == nil {
			name = strings.TrimSuffix(e.Name(), "-bom")
		}
		return name
	}
	if plain(said) == plain(written) || said == "" && strings.HasPrefix(written, "utf-") ||
		strings.EqualFold(said, "utf-16") && strings.HasPrefix(written, "utf-16") {
		return nil
	}
	return &DeclarationError{said, written}
}
