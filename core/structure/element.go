package structure

import (
	"bytes"
	"maps"
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
		if g.start >= lineEnd {
			break
		}
		if g.beyond {
			t.holdOn(t.Start(i))
		} else {
			t.hold(t.Start(i), lineEnd, g.given)
		}
		switch {
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
	// end is the byte behind the closing tag, behind the tag itself for an empty element, or
	// never.
	end    int
	given  int  // the end of what says that it is never closed, 0 where that is the text's
	beyond bool // another piece of the text may close it
}

// openTag is an opening tag that a closing one may take.
type openTag struct {
	name  string
	empty bool // it ends in />
	index int  // among the text's tags; -1 in those of an earlier piece
}

// openTags is how many tags of one name are open.
type openTags struct{ plain, empty int }

// tags returns all opening and closing tags of the text, each opening one with its end. A
// closing tag takes the nearest open tag of its name that does not end in />, else the
// nearest that does, but in XML, where that always is an empty element.
func (t *Text) tags() []tag {
	t.known()
	if t.elements != nil {
		return t.elements
	}
	before := t.before()
	o := &elements{open: stackOn(before.tags), count: map[string]openTags{}, all: []tag{}}
	maps.Copy(o.count, before.tagCounts)
	for g, at := t.nextTag(0); g.name != ""; g, at = t.nextTag(at) {
		g.end = g.behind
		if !g.closing && !void[g.name] && !(g.empty && t.syntax == XML) {
			if !g.empty {
				g.end = never
			}
			o.add(openTag{g.name, g.empty, len(o.all)}, 1)
		}
		o.all = append(o.all, g)
		if g.closing {
			o.close(g)
		}
	}
	if t.goesOn() {
		for _, g := range o.open.own {
			o.all[g.index].beyond = true
		}
	}
	t.open.tagCounts = o.count
	t.open.tags = o.open.layered(func(g openTag) openTag { return openTag{g.name, g.empty, -1} })
	t.elements = o.all
	return t.elements
}

// elements follows the tags of a text.
type elements struct {
	all   []tag
	open  stack[openTag]
	count map[string]openTags // of open ones
}

// add opens a tag, or with -1 counts one that no longer is open.
func (o *elements) add(g openTag, n int) {
	c := o.count[g.name]
	if g.empty {
		c.empty += n
	} else {
		c.plain += n
	}
	if o.count[g.name] = c; c == (openTags{}) {
		delete(o.count, g.name)
	}
	if n > 0 {
		o.open.push(g)
	}
}

// close gives a closing tag the opening one that it takes, if there is one. What is opened
// within stays open for good.
func (o *elements) close(closing tag) {
	n := o.count[closing.name]
	if n == (openTags{}) {
		return
	}
	for {
		g := o.open.pop()
		o.add(g, -1)
		if g.name == closing.name && g.empty == (n.plain == 0) {
			if g.index >= 0 {
				o.all[g.index].end = closing.behind
			}
			return
		}
		if g.index >= 0 {
			o.all[g.index].given = closing.behind
		}
	}
}

// nextTag returns the next opening or closing tag at or after at, and the place
// behind it; comments, character data and declarations are passed over.
func (t *Text) nextTag(at int) (tag, int) {
	text := t.Bytes
	for at < len(text) {
		i := bytes.IndexByte(text[at:], '<')
		if i < 0 {
			break
		}
		at += i
		begun, rest := at, text[at:]
		switch {
		case bytes.HasPrefix(rest, []byte("<!--")):
			at = after(text, at, "-->")
		case bytes.HasPrefix(rest, []byte("<![CDATA[")):
			at = after(text, at, "]]>")
		case bytes.HasPrefix(rest, []byte("<?")), bytes.HasPrefix(rest, []byte("<!")):
			at = after(text, at, ">")
		case len(rest) > 2 && rest[1] == '/' && nameByte(rest[2]):
			behind := after(text, at, ">")
			t.holdMark(at, behind)
			return tag{name: name(rest[2:]), start: at, behind: behind, closing: true}, behind
		case looksLikeTag(rest):
			behind, empty := tagEnd(text, at)
			t.holdMark(at, behind)
			return tag{name: name(rest[1:]), start: at, behind: behind, empty: empty}, behind
		default:
			at++
			continue
		}
		t.holdMark(begun, at)
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
