package structure

import (
	"bytes"

	"frizzel/core/edit"
)

// void are the HTML elements that have no closing tag.
var void = map[string]bool{
	"area": true, "base": true, "br": true, "col": true, "embed": true, "hr": true, "img": true,
	"input": true, "link": true, "meta": true, "param": true, "source": true, "track": true, "wbr": true,
}

// looksLikeTag reports whether a line begins with a tag.
func looksLikeTag(line []byte) bool {
	return len(line) > 1 && line[0] == '<' && nameByte(line[1])
}

func nameByte(c byte) bool {
	return 'a' <= c && c <= 'z' || 'A' <= c && c <= 'Z' || '0' <= c && c <= '9' ||
		c == '_' || c == '-' || c == '.' || c == ':' || c >= 0x80
}

// element follows the XML elements that begin on line i until all are closed.
func (t *Text) element(i int) (edit.Span, bool) {
	var open []string
	lineEnd := t.Start(i + 1)
	for at := t.Start(i); ; {
		tag, next := nextTag(t.Bytes, at)
		if len(open) == 0 && (tag.name == "" || tag.start >= lineEnd) {
			return t.Lines(i, i+1), true
		}
		if tag.name == "" {
			return edit.Span{}, false
		}
		at = next
		switch {
		case tag.closing:
			for n := len(open) - 1; n >= 0; n-- {
				if open[n] == tag.name {
					open = open[:n]
					break
				}
			}
			if len(open) == 0 && next > lineEnd {
				return t.closedBy(i, next-1), true
			}
		case !tag.empty && !void[tag.name]:
			open = append(open, tag.name)
		case tag.start < lineEnd && next > lineEnd && len(open) == 0:
			return t.closedBy(i, next-1), true // one empty element over several lines
		}
	}
}

type tag struct {
	name           string
	start          int
	closing, empty bool
}

// nextTag returns the next opening or closing tag at or after at, and the place
// behind it; comments, character data and declarations are passed over.
func nextTag(text []byte, at int) (tag, int) {
	for at < len(text) {
		i := bytes.IndexByte(text[at:], '<')
		if i < 0 {
			break
		}
		at += i
		rest := text[at:]
		switch {
		case bytes.HasPrefix(rest, []byte("<!--")):
			at = after(text, at, "-->")
		case bytes.HasPrefix(rest, []byte("<![CDATA[")):
			at = after(text, at, "]]>")
		case bytes.HasPrefix(rest, []byte("<?")), bytes.HasPrefix(rest, []byte("<!")):
			at = after(text, at, ">")
		case len(rest) > 2 && rest[1] == '/' && nameByte(rest[2]):
			return tag{name: name(rest[2:]), start: at, closing: true}, after(text, at, ">")
		case looksLikeTag(rest):
			end, empty := tagEnd(text, at)
			return tag{name: name(rest[1:]), start: at, empty: empty}, end
		default:
			at++
		}
	}
	return tag{}, len(text)
}

// after returns the place behind the next mark, or the text's end.
func after(text []byte, at int, mark string) int {
	i := bytes.Index(text[at:], []byte(mark))
	if i < 0 {
		return len(text)
	}
	return at + i + len(mark)
}

func name(s []byte) string {
	n := 0
	for n < len(s) && nameByte(s[n]) {
		n++
	}
	return string(s[:n])
}

// tagEnd returns the place behind an opening tag, whose attributes may hold > in
// quotes, and whether the tag closes itself.
func tagEnd(text []byte, at int) (end int, empty bool) {
	quote := byte(0)
	for i := at; i < len(text); i++ {
		switch c := text[i]; {
		case quote != 0:
			if c == quote {
				quote = 0
			}
		case c == '"' || c == '\'':
			quote = c
		case c == '>':
			return i + 1, text[i-1] == '/'
		}
	}
	return len(text), false
}
