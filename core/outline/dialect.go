package outline

import (
	"bytes"

	"frizzel/core/lines"
	"frizzel/core/syntax"
)

// A dialect is how a family of texts writes comments, quotes and what opens.
type dialect struct {
	hash      hash
	semicolon bool // ; begins a comment as the first thing on its line
	slashes   bool // // begins a comment as the first thing, or after white space
	stars     stars
	sgml      bool   // <!-- --> is a comment
	quotes    string // the quotes there are
	anyQuote  bool   // quotes open anywhere; else only where a value may begin
	triple    bool   // quotes of three characters go over several lines
	brackets  string // the brackets that open
	nextLine  bool   // a bracket may stand on the line below what it belongs to
	tags      tags
	indented  bool // deeper-indented lines make blocks
	headers   bool // [x] on its own line begins a section
	flow      bool // YAML's rules for where quotes and brackets begin
	html      bool // elements that HTML defines as void are empty, and names have no case
}

// hash says where # begins a comment.
type hash uint8

const (
	noHash     hash = iota
	anyHash         // anywhere outside quotes
	spacedHash      // as the first thing, or after white space
	hashAlone       // as the first thing, or after white space and before white space or the line's end
)

// stars says where /* begins a comment; one that */ follows.
type stars uint8

const (
	noStars     stars = iota
	anyStars          // anywhere outside quotes
	spacedStars       // as the first thing, after white space, a bracket or ;
)

// tags is the set of positions where an element's tag is recognized.
type tags uint8

const (
	noTags    tags = iota
	firstTags      // as the first thing on its line
	anyTags
)

var (
	generic = dialect{hash: hashAlone, semicolon: true, slashes: true, stars: spacedStars, sgml: true, quotes: "'\"`", brackets: "{[(",
		nextLine: true, tags: firstTags, indented: true, headers: true}
	prose      = dialect{sgml: true, tags: firstTags, indented: true}
	tagged     = dialect{sgml: true, tags: anyTags}
	html       = dialect{sgml: true, tags: anyTags, html: true}
	css        = dialect{stars: anyStars, quotes: "'\"`", brackets: "{[(", nextLine: true}
	styleSheet = dialect{stars: anyStars, slashes: true, quotes: "'\"`", brackets: "{[(", nextLine: true}
	json       = dialect{stars: anyStars, slashes: true, quotes: `"`, anyQuote: true, brackets: "{[", nextLine: true}
	toml       = dialect{hash: anyHash, quotes: `'"`, anyQuote: true, triple: true, brackets: "{[", headers: true}
	yaml       = dialect{hash: spacedHash, flow: true, indented: true}
)

func dialectOf(s syntax.Syntax) *dialect {
	switch s {
	case syntax.Markdown, syntax.ReST, syntax.AsciiDoc:
		return &prose
	case syntax.XML:
		return &tagged
	case syntax.HTML:
		return &html
	case syntax.CSS:
		return &css
	case syntax.StyleSheet:
		return &styleSheet
	case syntax.JSON, syntax.JSONC:
		return &json
	case syntax.TOML:
		return &toml
	case syntax.YAML:
		return &yaml
	}
	return &generic
}

// void are the elements that HTML defines as void.
var void = map[string]bool{
	"area": true, "base": true, "br": true, "col": true, "embed": true, "hr": true, "img": true,
	"input": true, "link": true, "meta": true, "param": true, "source": true, "track": true, "wbr": true,
}

// headerName returns the name in a line that is written like a header, [x] or [[x]], with perhaps a
// comment behind it.
func headerName(line []byte) ([]byte, bool) {
	line = bytes.TrimLeft(line, " \t")
	if len(line) == 0 || line[0] != '[' {
		return nil, false
	}
	close := "]"
	if bytes.HasPrefix(line, []byte("[[")) {
		close = "]]"
	}
	name, behind, ok := bytes.Cut(line[len(close):], []byte(close))
	name = bytes.Trim(name, " \t")
	behind = bytes.TrimLeft(behind, " \t\r")
	if !ok || len(name) == 0 || bytes.ContainsAny(name, "[]") || len(behind) > 0 && behind[0] != '#' && behind[0] != ';' {
		return nil, false
	}
	return name, true
}

// IsHeader reports whether name is valid in a section's header.
func IsHeader(name string) bool {
	called, ok := headerName([]byte("[" + name + "]"))
	return ok && string(called) == name && !bytes.ContainsAny(called, "\r\n")
}

// opensQuote reports whether a quote behind prev, the byte before it on its line, opens one.
func opensQuote(prev byte) bool { return bytes.IndexByte([]byte(" \t{[(}])=,:"), prev) >= 0 }

// quotedLength returns the length of the quoted text at the start of line, or 1 if the quote is not
// closed on it and so is a character. A backslash takes the next character.
func quotedLength(line []byte) int {
	for i := 1; i < len(line); i++ {
		switch line[i] {
		case '\\':
			i++
		case line[0]:
			return i + 1
		}
	}
	return 1
}

// IsListItem reports whether a line is an item of a list.
func IsListItem(line []byte) bool {
	line = bytes.TrimLeft(line, " \t")
	return bytes.HasPrefix(line, []byte("- ")) || string(bytes.TrimRight(line, "\r\n")) == "-"
}

// opensList reports whether a line is a key with nothing behind it.
func opensList(line []byte) bool {
	return !IsListItem(line) && bytes.HasSuffix(bytes.TrimRight(line, " \t\r\n"), []byte(":"))
}

// TrailingMark returns the offset of the first mark that follows other text and whitespace on a line, outside
// quotes, or -1.
func TrailingMark(line []byte, marks []string) int {
	for at := 0; at < len(line); {
		alone := lines.Blank(line[:at])
		if at > 0 && !alone && (line[at-1] == ' ' || line[at-1] == '\t') {
			for _, m := range marks {
				if bytes.HasPrefix(line[at:], []byte(m)) {
					return at
				}
			}
		}
		if bytes.IndexByte([]byte("'\"`"), line[at]) >= 0 && (alone || opensQuote(line[at-1])) {
			at += quotedLength(line[at:])
		} else {
			at++
		}
	}
	return -1
}

// TrailingComment returns the offset of a comment that follows other text and extends to the line's end, in the
// text's dialect, or -1.
func (t *Text) TrailingComment(line []byte) int {
	one := New(line, t.syntax)
	s := newScanner(one)
	s.line(0)
	if s.nodes[0].kind != Entry {
		return -1
	}
	return s.trailing
}
