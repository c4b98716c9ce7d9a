// Package markup finds the tags of XML and HTML in a text, with the ranges of their names and attributes. It
// accepts any text and does not report errors; its callers decide which texts are invalid.
//
// [Opening] identifies the token that a < begins, [TagEnd] finds the end of a start tag past the quotes of its
// attributes, [Next] splits a text into tokens, and [Attributes] reads those of a tag. All take time in proportion
// to the bytes that they read, and share the memory of the text.
package markup

import "bytes"

// A Kind is the kind of a token.
type Kind uint8

const (
	Text        Kind = iota
	Start            // <x …> and <x …/>
	End              // </x>
	Comment          // <!-- … -->
	CDATA            // <![CDATA[ … ]]>
	Instruction      // <? … ?>
	Declaration      // <! … >
)

// terminators end tokens.
var terminators = [...]string{Start: ">", End: ">", Comment: "-->", CDATA: "]]>", Instruction: "?>", Declaration: ">"}

// Opening returns the kind of token that begins with text, whose first byte is <, and the text that ends it.
func Opening(text []byte) (kind Kind, terminator string) {
	switch {
	case len(text) < 2:
		kind = Start
	case text[1] == '/':
		kind = End
	case text[1] == '?':
		kind = Instruction
	case text[1] != '!':
		kind = Start
	case bytes.HasPrefix(text, []byte("<!--")):
		kind = Comment
	case bytes.HasPrefix(text, []byte("<![CDATA[")):
		kind = CDATA
	default:
		kind = Declaration
	}
	return kind, terminators[kind]
}

// A Token is a part of a text, in byte offsets.
type Token struct {
	Kind       Kind
	Start, End int
	NameEnd    int  // of a tag, whose name begins behind its < or </
	Empty      bool // a start tag that ends in />
}

// Next returns the token that begins at a byte before the text's end. If it is never closed, missing is the text
// that would close it, and the token is not valid.
func Next(text []byte, at int) (t Token, missing string) {
	t = Token{Start: at, End: len(text)}
	if text[at] != '<' {
		if n := bytes.IndexByte(text[at:], '<'); n >= 0 {
			t.End = at + n
		}
		return t, ""
	}
	kind, terminator := Opening(text[at:])
	t.Kind = kind
	if kind == Start {
		t.NameEnd = at + 1 + nameLength(text[at+1:])
		end := TagEnd(text, t.NameEnd)
		if end < 0 {
			return t, terminator
		}
		t.End, t.Empty = end, text[end-2] == '/'
		return t, ""
	}
	n := bytes.Index(text[at:], []byte(terminator))
	if n < 0 {
		return t, terminator
	}
	t.End = at + n + len(terminator)
	if kind == End {
		t.NameEnd = at + n
		for t.NameEnd > at+2 && text[t.NameEnd-1] <= ' ' {
			t.NameEnd--
		}
	}
	return t, ""
}

// nameLength returns the length of the name of a start tag: up to white space, / or >.
func nameLength(text []byte) int {
	i := 0
	for i < len(text) && text[i] > ' ' && text[i] != '>' && text[i] != '/' {
		i++
	}
	return i
}

// TagEnd returns the offset behind the > of a start tag, from a byte within it but outside of quotes; -1 if there
// is none, or if a quote is not closed.
func TagEnd(text []byte, at int) int {
	for at < len(text) {
		switch c := text[at]; c {
		case '>':
			return at + 1
		case '"', '\'':
			n := bytes.IndexByte(text[at+1:], c)
			if n < 0 {
				return -1
			}
			at += n + 2
		default:
			at++
		}
	}
	return -1
}

// Attributes reads the attributes of a start tag, one after another.
type Attributes struct {
	text    []byte
	at, end int
	// Name and Value are offsets of the current one's name, and of its value without the quotes.
	Name, Value [2]int
	// Fault is the error of the current attribute, or "".
	Fault string
}

// AttributesOf returns the attributes of a start tag of a text.
func AttributesOf(text []byte, t Token) Attributes {
	end := t.End - 1
	if t.Empty {
		end--
	}
	return Attributes{text: text, at: t.NameEnd, end: max(end, t.NameEnd)}
}

// Next reads the next attribute. It returns false at the end, and if there is a Fault.
func (a *Attributes) Next() bool {
	text, at := a.text[:a.end], a.at
	for at < len(text) && text[at] <= ' ' {
		at++
	}
	if at == len(text) {
		return false
	}
	a.Name[0] = at
	for at < len(text) && text[at] != '=' && text[at] > ' ' {
		at++
	}
	a.Name[1] = at
	for at < len(text) && (text[at] <= ' ' || text[at] == '=') {
		at++
	}
	if at == len(text) || text[at] != '"' && text[at] != '\'' {
		a.Fault = "is not in quotes"
		return false
	}
	n := bytes.IndexByte(text[at+1:], text[at])
	if n < 0 {
		a.Fault = "is not closed"
		return false
	}
	a.Value = [2]int{at + 1, at + 1 + n}
	a.at = at + n + 2
	return true
}

// Bytes returns a part of the text that the attributes are read from.
func (a *Attributes) Bytes(part [2]int) []byte { return a.text[part[0]:part[1]] }

// IsNameStart reports whether a name of an element may begin with c. Bytes above ASCII are taken for letters.
func IsNameStart(c byte) bool {
	return 'a' <= c && c <= 'z' || 'A' <= c && c <= 'Z' || c == '_' || c == ':' || c >= 0x80
}

// IsName reports whether c may be part of a name.
func IsName(c byte) bool { return IsNameStart(c) || '0' <= c && c <= '9' || c == '-' || c == '.' }
