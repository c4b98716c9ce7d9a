package outline

import (
	"bytes"
	"strings"

	"frizzel/core/lines"
	"frizzel/core/markup"
)

// angle reads what begins with <, and reports whether it moved the cursor.
func (s *scanner) angle(c *cursor, rest []byte) bool {
	if s.d.sgml && bytes.HasPrefix(rest, []byte("<!--")) {
		end, ok := s.terminated(c.at+len("<!--"), "-->")
		return ok && s.comment(c, end)
	}
	switch s.d.tags {
	case firstTags:
		return c.alone && s.firstTag(c, rest)
	case anyTags:
		return s.anyTag(c, rest)
	}
	return false
}

// anyTag reads a tag or a declaration of a markup language.
func (s *scanner) anyTag(c *cursor, rest []byte) bool {
	end, ok := 0, false
	switch kind, terminator := markup.Opening(rest); {
	case kind == markup.CDATA || kind == markup.Instruction:
		end, ok = s.terminated(c.at, terminator)
	case kind == markup.Declaration || kind == markup.Comment:
		end, ok = s.declarationEnd(c.at)
	case kind == markup.End && len(rest) > 2 && markup.IsNameStart(rest[2]):
		if end, ok = s.terminated(c.at, terminator); ok {
			s.close(element, s.name(rest[2:]), s.t.At(end-1))
		}
	case kind == markup.Start && len(rest) > 1 && markup.IsNameStart(rest[1]):
		var empty bool
		if end, empty, ok = s.tagEnd(c.at); ok {
			s.openTag(c, s.name(rest[1:]), end, empty)
		}
	}
	if ok {
		s.pass(c, end, inTag)
	}
	return ok
}

// openTag opens the element of a tag of a markup language.
func (s *scanner) openTag(c *cursor, name string, end int, empty bool) {
	if empty || s.d.html && void[name] {
		if last := s.t.At(end - 1); last > c.i {
			s.closed(int32(c.i), int32(last), Element)
		}
		return
	}
	s.push(element, name, c)
}

// declarationEnd returns where <!… ends; the brackets of a document type hold others.
func (s *scanner) declarationEnd(at int) (int, bool) {
	end, ok := s.terminated(at, ">")
	if ok && bytes.IndexByte(s.t.Bytes[at:end], '[') >= 0 {
		if inner, ok := s.terminated(at, "]>"); ok {
			return inner, true
		}
		if inner, ok := s.terminated(at, "]"); ok {
			return s.terminated(inner, ">")
		}
	}
	return end, ok
}

// tagEnd returns the end of the opening tag at an offset, past quoted attributes, and whether the tag is
// self-closing. If a quote has no partner in the rest of the text, quotes are ordinary characters from there on.
func (s *scanner) tagEnd(at int) (end int, empty, ok bool) {
	text := s.t.Bytes
	if !s.failed["quote"] {
		if end := markup.TagEnd(text, at); end >= 0 {
			return end, text[end-2] == '/', true
		}
		s.failed["quote"] = true
	}
	end, ok = s.terminated(at, ">")
	return end, ok && text[end-2] == '/', ok
}

// firstTag reads a tag that is the first thing on its line.
func (s *scanner) firstTag(c *cursor, rest []byte) bool {
	if len(rest) > 2 && rest[1] == '/' && markup.IsNameStart(rest[2]) {
		n := bytes.IndexByte(rest, '>')
		if n < 0 {
			return false
		}
		s.close(element, s.name(rest[2:]), c.i)
		c.at += n + 1
		return true
	}
	if len(rest) < 2 || !markup.IsNameStart(rest[1]) {
		return false
	}
	end, ok := s.firstTagEnd(c)
	if !ok {
		return false
	}
	name := s.name(rest[1:])
	switch empty := s.t.Bytes[end-2] == '/'; {
	case end <= c.end && closesHere(s.t.Bytes[end:c.end], name):
	case empty:
		if last := s.t.At(end - 1); last > c.i {
			s.closed(int32(c.i), int32(last), Element)
		}
		s.push(slashed, name, c)
	default:
		s.push(element, name, c)
	}
	s.pass(c, end, inTag)
	return true
}

// firstTagEnd returns the end of the tag at the cursor: on its line, or on one of the following lines that are
// indented deeper and do not begin with a tag.
func (s *scanner) firstTagEnd(c *cursor) (int, bool) {
	quote := byte(0)
	own := s.nodes[c.i].column
	for i, at, end := c.i, c.at, c.end; ; {
		for ; at < end; at++ {
			switch b := s.t.Bytes[at]; {
			case quote != 0:
				if b == quote {
					quote = 0
				}
			case b == '"' || b == '\'':
				quote = b
			case b == '>':
				return at + 1, true
			}
		}
		i++
		if i >= s.t.Count() {
			return 0, false
		}
		line := s.t.Content(i)
		if inside := bytes.TrimLeft(line, " \t"); lines.Blank(line) || inside[0] == '<' || int32(Column(line)) <= own {
			return 0, false
		}
		at, end = s.t.Start(i), s.t.Start(i+1)
	}
}

// closesHere reports whether the rest of a line holds the closing tag of a name.
func closesHere(rest []byte, name string) bool {
	for {
		i := bytes.Index(rest, []byte("</"+name))
		if i < 0 {
			return false
		}
		if rest = rest[i+2+len(name):]; len(rest) > 0 && !markup.IsName(rest[0]) {
			return true
		}
	}
}

// name returns the name that a tag begins with.
func (s *scanner) name(b []byte) string {
	n := 0
	for n < len(b) && markup.IsName(b[n]) {
		n++
	}
	if s.d.html {
		return strings.ToLower(string(b[:n]))
	}
	return string(b[:n])
}
