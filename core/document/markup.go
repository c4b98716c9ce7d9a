package document

import (
	"bytes"
	"strings"

	"frizzel/core/markup"
)

// A scanner reads the tokens of a part: XML 1.0 with namespaces, in UTF-8. It refuses a document type with
// definitions, so no entity can expand. Attributes are parsed only if they are needed.
type scanner struct {
	src []byte
	at  int

	token      token
	start, end int          // half-open range of the current token
	name       string       // the canonical name of the current tag; "" in an unknown namespace
	tag        markup.Token // the last start tag
	empty      bool         // the tag is self-closing

	open     [][2]int // ranges of the names of the open elements
	bindings []binding
	cache    [128]known // canonical names by a hash of the written ones
	rooted   bool
}

type token int

const (
	atEnd token = iota
	startTag
	endTag
	characters
	verbatim // a CDATA section; start and end are the range of its content
)

// A known is a written name and its canonical form.
type known struct{ written, name string }

// A binding is the declaration of a namespace prefix.
type binding struct {
	prefix, short string // short is the canonical prefix of the namespace
	depth         int
}

// maxOpen limits the nesting of elements.
const maxOpen = 2000

func newScanner(src []byte) *scanner { return &scanner{src: src} }

func (s *scanner) errorf(format string, args ...any) error {
	return damaged("its XML is damaged: "+format, args...)
}

// next reads the next token. It skips comments and processing instructions.
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

// documentType skips a document type that only refers to an external definition, as old documents have; the
// definition is never read. It refuses one with an internal subset.
func (s *scanner) documentType(t markup.Token) error {
	text := s.src[t.Start:t.End]
	if !bytes.HasPrefix(text, []byte("<!DOCTYPE")) || bytes.IndexByte(text, '[') >= 0 || s.rooted {
		return damaged("its XML has a document type with definitions, which are never read")
	}
	return nil
}

// declared returns an error if an XML declaration names another encoding than UTF-8.
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

// close ends the innermost element.
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

// leap skips to the end tag of the innermost element if a plain search finds it: the element contains no
// element of its own name, no comment and no CDATA section.
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

// bind adds the prefixes that the current start tag declares.
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

// canonical returns a name with this program's prefix for its namespace, or "" if the namespace is unknown.
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

// attribute returns the raw value of an attribute of the current start tag. name is canonical, or has no
// prefix.
func (s *scanner) attribute(name string) (value []byte, ok bool) {
	from, to := s.attributeAt(name)
	if from < 0 {
		return nil, false
	}
	return s.src[from:to], true
}

// attributes returns the attributes of the current start tag.
func (s *scanner) attributes() markup.Attributes { return markup.AttributesOf(s.src, s.tag) }

// attributeAt returns the half-open range of an attribute's value, or -1 if the attribute is missing.
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

// short returns the canonical prefix of the namespace that prefix is bound to.
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

// value returns the unescaped value of an attribute.
func (s *scanner) value(name string) string {
	v, _ := s.attribute(name)
	return unescaped(v)
}
