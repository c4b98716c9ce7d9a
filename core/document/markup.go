package document

import (
	"bytes"
	"strings"

	"frizzel/core/markup"
)

// scanner reads a part's tags, one after another. Attributes are only read when they are needed. It reads XML 1.0 with namespaces, UTF-8, and no document
// type, so that nothing in it stands for more than is there.
type scanner struct {
	src []byte
	at  int

	token      token
	start, end int          // of the token
	name       string       // of a tag, as names has it; "" for one that nobody asks for
	tag        markup.Token // the last start tag
	empty      bool         // a start tag that is an end tag, too

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
	prefix, short string // short is the name that this program uses for the namespace
	depth         int
}

// maxOpen bounds how many elements may be open.
const maxOpen = 2000

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
		t, missing := markup.Next(s.src, s.at)
		if missing != "" {
			return s.errorf("%q is missing", missing)
		}
		s.token, s.start, s.end, s.at = characters, t.Start, t.End, t.End
		switch t.Kind {
		case markup.Text:
			return s.text()
		case markup.Start:
			return s.opening(t)
		case markup.End:
			return s.closing(t)
		case markup.CDATA:
			s.token, s.start, s.end = verbatim, t.Start+len("<![CDATA["), t.End-len("]]>")
			return nil
		case markup.Declaration:
			if err := s.documentType(t); err != nil {
				return err
			}
		case markup.Instruction:
			if t.Start == 0 {
				if err := declared(s.src[:t.End]); err != nil {
					return err
				}
			}
		}
	}
}

// documentType passes over one that names a definition and has none in itself, as old documents
// do; nobody reads what it names.
func (s *scanner) documentType(t markup.Token) error {
	text := s.src[t.Start:t.End]
	if !bytes.HasPrefix(text, []byte("<!DOCTYPE")) || bytes.IndexByte(text, '[') >= 0 || s.rooted {
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

func (s *scanner) text() error {
	if len(s.open) == 0 && len(bytes.TrimSpace(s.src[s.start:s.end])) > 0 {
		return s.errorf("text stands outside its element")
	}
	return nil
}

func (s *scanner) closing(t markup.Token) error {
	if len(s.open) == 0 {
		return s.errorf("an element is closed that is not open")
	}
	name := s.src[t.Start+2 : t.NameEnd]
	last := s.open[len(s.open)-1]
	if !bytes.Equal(name, s.src[last[0]:last[1]]) {
		return s.errorf("%q is closed where %q is open", name, s.src[last[0]:last[1]])
	}
	s.token = endTag
	s.close()
	return nil
}

// close releases the element that was opened last.
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

func (s *scanner) opening(t markup.Token) error {
	begin := t.Start + 1
	if t.NameEnd == begin || len(s.open) == 0 && s.rooted {
		return s.errorf("a tag has no name, or stands behind the last one")
	}
	s.token, s.rooted, s.empty, s.tag = startTag, true, t.Empty, t
	s.open = append(s.open, [2]int{begin, t.NameEnd})
	if len(s.open) > maxOpen {
		return damaged("its XML is nested more than %d deep", maxOpen)
	}
	if bytes.Contains(s.src[t.NameEnd:t.End], []byte("xmlns")) {
		if err := s.bind(); err != nil {
			return err
		}
	}
	name := s.src[begin:t.NameEnd]
	hash := (uint32(len(name))*31+uint32(name[len(name)-1]))*31 + uint32(name[len(name)/2])*7 + uint32(name[max(len(name)-3, 0)])
	slot := &s.cache[hash*2654435761>>25]
	if slot.written != string(name) {
		*slot = known{string(name), s.canonical(string(name))}
	}
	s.name = slot.name
	return nil
}

// leap goes to the end tag of the element that was opened last, if that is plain to see: no
// element of its name stands in it, and nothing that is not markup.
func (s *scanner) leap() {
	last := s.open[len(s.open)-1]
	name := s.src[last[0]-1 : last[1]] // with the <
	rest := s.src[s.at:]
	var buffer [64]byte
	end := bytes.Index(rest, append(append(buffer[:0], '<', '/'), name[1:]...))
	if end < 0 || len(s.open) > maxOpen/2 {
		return
	}
	if within := rest[:end]; !bytes.Contains(within, []byte("<!")) && !bytes.Contains(within, []byte("<?")) && !bytes.Contains(within, name) {
		s.at += end
	}
}

// bind takes the prefixes that a start tag declares.
func (s *scanner) bind() error {
	all := s.attributes()
	for all.Next() {
		prefix, ok := strings.CutPrefix(string(all.Bytes(all.Name)), "xmlns")
		if ok && (prefix == "" || prefix[0] == ':') {
			s.bindings = append(s.bindings, binding{strings.TrimPrefix(prefix, ":"), spaces[string(all.Bytes(all.Value))], len(s.open)})
		}
	}
	s.cache = [128]known{}
	if all.Fault != "" {
		return s.errorf("the value of %q %s", all.Bytes(all.Name), all.Fault)
	}
	return nil
}

// canonical returns a name with the prefix that it has in this program, "" if nobody asks
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

// attributes returns the attributes of the start tag at hand.
func (s *scanner) attributes() markup.Attributes { return markup.AttributesOf(s.src, s.tag) }

// attributeAt returns where the value of an attribute stands, -1 for nowhere.
func (s *scanner) attributeAt(name string) (from, to int) {
	colon := strings.IndexByte(name, ':')
	local := name[colon+1:]
	all := s.attributes()
	for all.Next() {
		written := all.Bytes(all.Name)
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
		return all.Value[0], all.Value[1]
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

// value returns the value of an attribute, with what is escaped read.
func (s *scanner) value(name string) string {
	v, _ := s.attribute(name)
	return unescaped(v)
}
