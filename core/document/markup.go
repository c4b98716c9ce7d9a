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
	cache    [128]known // names as they are written
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

// known is a name as it is written, and as this program has it.
type known struct{ written, name string }

// binding is a prefix and what it stands for.
type binding struct {
	prefix, short string // what it stands for is what this program has for that
	depth         int
}

// deepest is how many elements may be open.
const deepest = 2000

func newScanner(src []byte) *scanner { return &scanner{src: src} }

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
			if err := s.documentType(); err != nil {
				return err
			}
		default:
			return s.opening()
		}
	}
}

// documentType passes over one that names a definition and has none in itself, as old documents
// do; nobody reads what it names.
func (s *scanner) documentType() error {
	begin := s.at
	if err := s.pass(">"); err != nil {
		return err
	}
	if !bytes.HasPrefix(s.src[begin:], []byte("<!DOCTYPE")) || bytes.IndexByte(s.src[begin:s.at], '[') >= 0 || s.rooted {
		return damaged("its XML has a document type with definitions, which are never read")
	}
	return nil
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
	name := s.src[s.at+2 : s.at+n]
	for len(name) > 0 && white(name[len(name)-1]) {
		name = name[:len(name)-1]
	}
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
		s.cache = [128]known{}
	}
}

func (s *scanner) opening() error {
	nameEnd, end, declares := s.tag()
	if end < 0 {
		return s.errorf("a tag is not closed")
	}
	begin := s.at + 1
	if nameEnd == begin || len(s.open) == 0 && s.rooted {
		return s.errorf("a tag has no name, or stands behind the last one")
	}
	s.token, s.start, s.end, s.rooted = startTag, s.at, end+1, true
	s.at = s.end
	if s.empty = s.src[end-1] == '/'; s.empty {
		end--
	}
	s.attributes = s.src[nameEnd:max(end, nameEnd)]
	s.open = append(s.open, [2]int{begin, nameEnd})
	if len(s.open) > deepest {
		return damaged("its XML is nested more than %d deep", deepest)
	}
	if declares {
		if err := s.bind(); err != nil {
			return err
		}
	}
	name := s.src[begin:nameEnd]
	hash := (uint32(len(name))*31+uint32(name[len(name)-1]))*31 + uint32(name[len(name)/2])*7 + uint32(name[max(len(name)-3, 0)])
	slot := &s.cache[hash*2654435761>>25]
	if slot.written != string(name) {
		*slot = known{string(name), s.canonical(string(name))}
	}
	s.name = slot.name
	return nil
}

// tag returns where the name of the tag that begins here ends, and where its > stands, -1 for
// nowhere, and whether it declares prefixes.
func (s *scanner) tag() (nameEnd, end int, declares bool) {
	src, i := s.src, s.at+1
	for i < len(src) && src[i] > ' ' && src[i] != '>' && src[i] != '/' {
		i++
	}
	nameEnd = i
	for i < len(src) {
		switch c := src[i]; c {
		case '>':
			return nameEnd, i, declares
		case '"', '\'':
			n := bytes.IndexByte(src[i+1:], c)
			if n < 0 {
				return nameEnd, -1, false
			}
			i += n + 2
		case 'x':
			declares = declares || src[i-1] <= ' ' && bytes.HasPrefix(src[i:], []byte("xmlns"))
			i++
		default:
			i++
		}
	}
	return nameEnd, -1, false
}

// leap goes to the end tag of the element that was opened last, where that is plain to see: no
// element of its name stands in it, and nothing that is not markup.
func (s *scanner) leap() {
	last := s.open[len(s.open)-1]
	name := s.src[last[0]-1 : last[1]] // with the <
	rest := s.src[s.at:]
	var buffer [64]byte
	end := bytes.Index(rest, append(append(buffer[:0], '<', '/'), name[1:]...))
	if end < 0 || len(s.open) > deepest/2 {
		return
	}
	if within := rest[:end]; !bytes.Contains(within, []byte("<!")) && !bytes.Contains(within, []byte("<?")) && !bytes.Contains(within, name) {
		s.at += end
	}
}

// bind takes the prefixes that a start tag declares.
func (s *scanner) bind() error {
	all := attributes{text: s.attributes}
	for all.next() {
		prefix, ok := strings.CutPrefix(string(all.name), "xmlns")
		if ok && (prefix == "" || prefix[0] == ':') {
			s.bindings = append(s.bindings, binding{strings.TrimPrefix(prefix, ":"), spaces[string(all.value)], len(s.open)})
		}
	}
	s.cache = [128]known{}
	return all.err
}

// canonical returns a name with the prefix that it has in this program, "" where nobody asks
// for its space.
func (s *scanner) canonical(name string) string {
	prefix, local, ok := strings.Cut(name, ":")
	if !ok {
		prefix, local = "", name
	}
	short := s.short([]byte(prefix))
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
	colon := strings.IndexByte(name, ':')
	local := name[colon+1:]
	all := attributes{text: s.attributes}
	for all.next() {
		written := all.name
		if len(written) < len(local) || string(written[len(written)-len(local):]) != local {
			continue
		}
		prefix := written[:len(written)-len(local)]
		switch {
		case colon < 0 && len(prefix) == 0:
		case colon > 0 && len(prefix) > 1 && prefix[len(prefix)-1] == ':' && s.short(prefix[:len(prefix)-1]) == name[:colon]:
		default:
			continue
		}
		from = s.open[len(s.open)-1][1] + offset(s.attributes, all.value)
		return from, from + len(all.value)
	}
	return -1, -1
}

// short returns what this program has for the space that a prefix stands for.
func (s *scanner) short(prefix []byte) string {
	if string(prefix) == "xml" {
		return "xml"
	}
	for i := len(s.bindings) - 1; i >= 0; i-- {
		if s.bindings[i].prefix == string(prefix) {
			return s.bindings[i].short
		}
	}
	return ""
}

// offset returns where part, which is one of whole, begins in it.
func offset(whole, part []byte) int { return cap(whole) - cap(part) }

// value returns the value of an attribute, with what is escaped read.
func (s *scanner) value(name string) string {
	v, _ := s.attribute(name)
	return unescaped(v)
}

// attributes reads those of a tag, one after another.
type attributes struct {
	text        []byte
	name, value []byte
	err         error
}

// next reads the next one. It reports false at the end, and where err says what is wrong.
func (a *attributes) next() bool {
	text, at := a.text, 0
	for at < len(text) && text[at] <= ' ' {
		at++
	}
	if at == len(text) {
		return false
	}
	begin := at
	for at < len(text) && text[at] != '=' && text[at] > ' ' {
		at++
	}
	a.name = text[begin:at]
	for at < len(text) && (text[at] <= ' ' || text[at] == '=') {
		at++
	}
	if at == len(text) || text[at] != '"' && text[at] != '\'' {
		a.err = damaged("its XML is damaged: the value of %q stands in no quotes", a.name)
		return false
	}
	end := bytes.IndexByte(text[at+1:], text[at])
	if end < 0 {
		a.err = damaged("its XML is damaged: the value of %q is not closed", a.name)
		return false
	}
	a.value, a.text = text[at+1:at+1+end], text[at+end+2:]
	return true
}
