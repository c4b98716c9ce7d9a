package document

import (
	"bytes"
	"strings"
)

// scanner reads a part's tags, one after another, at the speed of looking for them: attributes
// are looked at where they are asked for. It reads XML 1.0 with namespaces, UTF-8, and no document
// type, so that nothing in it stands for more than is there.
type scanner struct {
	src []byte
	at  int

	token      token
	start, end int    // of the token
	name       string // of a tag, as names has it; "" for one that nobody asks for
	attributes []byte // of a start tag
	empty      bool   // a start tag that is an end tag, too

	open     [][2]int // names of the elements that are open
	bindings []binding
	cache    map[string]string // names as they are written
	rooted   bool
}

type token int

const (
	atEnd token = iota
	startTag
	endTag
	characters
	verbatim // of a CDATA section, start and end are what stands in it
)

// binding is a prefix and what it stands for.
type binding struct {
	prefix, space string
	depth         int
}

// deepest is how many elements may be open.
const deepest = 2000

func newScanner(src []byte) *scanner { return &scanner{src: src, cache: map[string]string{}} }

func (s *scanner) errorf(format string, args ...any) error {
	return damaged("its XML is damaged: "+format, args...)
}

// next reads the next token; comments and instructions are passed over.
func (s *scanner) next() error {
	for {
		if s.at == len(s.src) {
			if len(s.open) > 0 || !s.rooted {
				return s.errorf("it ends within an element")
			}
			s.token = atEnd
			return nil
		}
		if s.src[s.at] != '<' {
			return s.text()
		}
		rest := s.src[s.at:]
		switch {
		case len(rest) > 1 && rest[1] == '/':
			return s.closing()
		case len(rest) > 1 && rest[1] == '?':
			from := s.at
			if err := s.pass("?>"); err != nil {
				return err
			}
			if from == 0 {
				if err := declared(s.src[:s.at]); err != nil {
					return err
				}
			}
		case bytes.HasPrefix(rest, []byte("<!--")):
			if err := s.pass("-->"); err != nil {
				return err
			}
		case bytes.HasPrefix(rest, []byte("<![CDATA[")):
			from := s.at + len("<![CDATA[")
			if err := s.pass("]]>"); err != nil {
				return err
			}
			s.token, s.start, s.end = verbatim, from, s.at-len("]]>")
			return nil
		case len(rest) > 1 && rest[1] == '!':
			return damaged("its XML has a document type, which is never read")
		default:
			return s.opening()
		}
	}
}

// declared checks what an XML declaration says of the encoding.
func declared(text []byte) error {
	_, after, ok := strings.Cut(string(text), "encoding")
	if !ok {
		return nil
	}
	name := strings.Trim(strings.TrimSuffix(after, "?>"), " \t\r\n=\"'")
	name, _, _ = strings.Cut(strings.ReplaceAll(name, "'", `"`), `"`)
	if !strings.EqualFold(name, "utf-8") && !strings.EqualFold(name, "us-ascii") {
		return damaged("its XML is in %s; only UTF-8 is read", name)
	}
	return nil
}

// pass goes on behind end.
func (s *scanner) pass(end string) error {
	n := bytes.Index(s.src[s.at:], []byte(end))
	if n < 0 {
		return s.errorf("%q is missing", end)
	}
	s.at += n + len(end)
	return nil
}

func (s *scanner) text() error {
	s.token, s.start = characters, s.at
	n := bytes.IndexByte(s.src[s.at:], '<')
	if n < 0 {
		n = len(s.src) - s.at
	}
	s.at += n
	s.end = s.at
	if len(s.open) == 0 && len(bytes.TrimSpace(s.src[s.start:s.end])) > 0 {
		return s.errorf("text stands outside its element")
	}
	return nil
}

func (s *scanner) closing() error {
	n := bytes.IndexByte(s.src[s.at:], '>')
	if n < 0 || len(s.open) == 0 {
		return s.errorf("an element is closed that is not open")
	}
	name := bytes.TrimRight(s.src[s.at+2:s.at+n], " \t\r\n")
	last := s.open[len(s.open)-1]
	if !bytes.Equal(name, s.src[last[0]:last[1]]) {
		return s.errorf("%q is closed where %q is open", name, s.src[last[0]:last[1]])
	}
	s.token, s.start, s.end = endTag, s.at, s.at+n+1
	s.at = s.end
	s.close()
	return nil
}

// close lets go of the element that was opened last.
func (s *scanner) close() {
	depth := len(s.open)
	s.open = s.open[:depth-1]
	if n := len(s.bindings); n > 0 && s.bindings[n-1].depth == depth {
		for n > 0 && s.bindings[n-1].depth == depth {
			n--
		}
		s.bindings = s.bindings[:n]
		clear(s.cache)
	}
}

func (s *scanner) opening() error {
	end := s.tagEnd()
	if end < 0 {
		return s.errorf("a tag is not closed")
	}
	s.token, s.start, s.end = startTag, s.at, end+1
	inner := s.src[s.at+1 : end]
	if s.empty = len(inner) > 0 && inner[len(inner)-1] == '/'; s.empty {
		inner = inner[:len(inner)-1]
	}
	n := bytes.IndexAny(inner, " \t\r\n")
	if n < 0 {
		n = len(inner)
	}
	if n == 0 || len(s.open) == 0 && s.rooted {
		return s.errorf("a tag has no name, or stands behind the last one")
	}
	s.rooted = true
	name := inner[:n]
	s.attributes = inner[n:]
	s.open = append(s.open, [2]int{s.at + 1, s.at + 1 + n})
	if len(s.open) > deepest {
		return damaged("its XML is nested more than %d deep", deepest)
	}
	if len(s.attributes) > 6 && bytes.Contains(s.attributes, []byte("xmlns")) {
		if err := s.bind(); err != nil {
			return err
		}
	}
	var ok bool
	if s.name, ok = s.cache[string(name)]; !ok {
		s.name = s.canonical(string(name))
		s.cache[string(name)] = s.name
	}
	s.at = s.end
	return nil
}

// tagEnd returns where the > of the tag stands that begins here, -1 for nowhere.
func (s *scanner) tagEnd() int {
	n := bytes.IndexByte(s.src[s.at:], '>')
	if n < 0 {
		return -1
	}
	if tag := s.src[s.at : s.at+n]; bytes.IndexByte(tag, '\'') < 0 && bytes.Count(tag, []byte{'"'})%2 == 0 {
		return s.at + n
	}
	quote := byte(0)
	for i := s.at; i < len(s.src); i++ { // a > within a value
		switch c := s.src[i]; {
		case quote != 0:
			if c == quote {
				quote = 0
			}
		case c == '"' || c == '\'':
			quote = c
		case c == '>':
			return i
		}
	}
	return -1
}

// bind takes the prefixes that a start tag declares.
func (s *scanner) bind() error {
	before := len(s.bindings)
	err := eachAttribute(s.attributes, func(name string, value []byte) bool {
		prefix, ok := strings.CutPrefix(name, "xmlns")
		if ok && (prefix == "" || prefix[0] == ':') {
			s.bindings = append(s.bindings, binding{strings.TrimPrefix(prefix, ":"), string(value), len(s.open)})
		}
		return true
	})
	if len(s.bindings) > before {
		clear(s.cache)
	}
	return err
}

// space returns what a prefix stands for.
func (s *scanner) space(prefix string) string {
	if prefix == "xml" {
		return xmlSpace
	}
	for i := len(s.bindings) - 1; i >= 0; i-- {
		if s.bindings[i].prefix == prefix {
			return s.bindings[i].space
		}
	}
	return ""
}

// canonical returns a name with the prefix that it has in this program, "" where nobody asks
// for its space.
func (s *scanner) canonical(name string) string {
	prefix, local, ok := strings.Cut(name, ":")
	if !ok {
		prefix, local = "", name
	}
	short := spaces[s.space(prefix)]
	if short == "" {
		return ""
	}
	return short + ":" + local
}

// attribute returns the value of an attribute of the start tag at hand, as it is written;
// its name is as this program has it, or without a prefix.
func (s *scanner) attribute(name string) (value []byte, ok bool) {
	from, to := s.attributeAt(name)
	if from < 0 {
		return nil, false
	}
	return s.src[from:to], true
}

// attributeAt returns where the value of an attribute stands, -1 for nowhere.
func (s *scanner) attributeAt(name string) (from, to int) {
	_, local, prefixed := strings.Cut(name, ":")
	if !prefixed {
		local = name
	}
	if !bytes.Contains(s.attributes, []byte(local)) {
		return -1, -1
	}
	from = -1
	_ = eachAttribute(s.attributes, func(written string, value []byte) bool { // the rest of a tag is not judged
		is := written == name
		if prefixed {
			prefix, own, has := strings.Cut(written, ":")
			is = has && own == local && spaces[s.space(prefix)]+":"+own == name
		}
		if is {
			from = s.start + 1 + (s.open[len(s.open)-1][1] - s.open[len(s.open)-1][0]) + offset(s.attributes, value)
			to = from + len(value)
		}
		return !is
	})
	return from, to
}

// offset returns where part, which is one of whole, begins in it.
func offset(whole, part []byte) int { return cap(whole) - cap(part) }

// value returns the value of an attribute, with what is escaped read.
func (s *scanner) value(name string) string {
	v, _ := s.attribute(name)
	return unescaped(v)
}

// eachAttribute calls found with the attributes of a tag, until that is false.
func eachAttribute(text []byte, found func(name string, value []byte) bool) error {
	for at := 0; ; {
		for at < len(text) && (text[at] <= ' ') {
			at++
		}
		if at == len(text) {
			return nil
		}
		n := bytes.IndexByte(text[at:], '=')
		if n < 0 {
			return damaged("its XML is damaged: an attribute has no value")
		}
		name := strings.TrimSpace(string(text[at : at+n]))
		at += n + 1
		for at < len(text) && (text[at] <= ' ') {
			at++
		}
		if at == len(text) || text[at] != '"' && text[at] != '\'' {
			return damaged("its XML is damaged: the value of %q stands in no quotes", name)
		}
		end := bytes.IndexByte(text[at+1:], text[at])
		if end < 0 {
			return damaged("its XML is damaged: the value of %q is not closed", name)
		}
		if !found(name, text[at+1:at+1+end]) {
			return nil
		}
		at += end + 2
	}
}
