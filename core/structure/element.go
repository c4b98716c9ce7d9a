package structure

import (
	"bytes"
	"slices"

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

// element returns line i to where the XML elements end that begin on it.
func (t *Text) element(i int) (edit.Span, bool) {
	tags := t.tags()
	first, _ := slices.BinarySearchFunc(tags, t.Start(i), func(g tag, at int) int { return g.start - at })
	lineEnd := t.Start(i + 1)
	for _, g := range tags[first:] {
		switch {
		case g.start >= lineEnd:
			return t.Lines(i, i+1), true
		case g.closing:
		case g.end == never:
			return edit.Span{}, false
		case g.end > lineEnd:
			return t.closed(i, g.end-1)
		}
	}
	return t.Lines(i, i+1), true
}

// tag is one in a text.
type tag struct {
	name    string
	start   int
	behind  int // where the tag itself ends
	closing bool
	empty   bool // it ends in />
	// end is the byte behind the closing tag, behind the tag itself for an empty element,
	// or never.
	end int
}

// tags returns all opening and closing tags of the text, each opening one with its end. A
// closing tag takes the nearest open tag of its name that does not end in />, else the
// nearest that does, but in XML, where that always is an empty element.
func (t *Text) tags() []tag {
	if t.elements != nil {
		return t.elements
	}
	var open []int // opening tags, by index
	type named struct{ plain, empty []int }
	byName := map[string]*named{}
	of := func(name string) *named {
		if byName[name] == nil {
			byName[name] = &named{}
		}
		return byName[name]
	}
	gone := map[int]bool{} // opening tags that something around them closed
	all := []tag{}
	for g, at := nextTag(t.Bytes, 0); g.name != ""; g, at = nextTag(t.Bytes, at) {
		k := len(all)
		g.end = g.behind
		if !g.closing && !void[g.name] && !(g.empty && t.syntax == XML) {
			n := of(g.name)
			if g.empty {
				n.empty = append(n.empty, k)
			} else {
				n.plain, g.end = append(n.plain, k), never
			}
			open = append(open, k)
		}
		all = append(all, g)
		if !g.closing {
			continue
		}
		n := of(g.name)
		match := -1
		for _, candidates := range []*[]int{&n.plain, &n.empty} {
			for len(*candidates) > 0 && match < 0 {
				last := len(*candidates) - 1
				if c := (*candidates)[last]; !gone[c] {
					match = c
				}
				*candidates = (*candidates)[:last]
			}
		}
		if match < 0 {
			continue
		}
		all[match].end = g.behind
		for len(open) > 0 {
			c := open[len(open)-1]
			open = open[:len(open)-1]
			if c == match {
				break
			}
			gone[c] = true
		}
	}
	t.elements = all
	return all
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
			behind := after(text, at, ">")
			return tag{name: name(rest[2:]), start: at, behind: behind, closing: true}, behind
		case looksLikeTag(rest):
			behind, empty := tagEnd(text, at)
			return tag{name: name(rest[1:]), start: at, behind: behind, empty: empty}, behind
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
