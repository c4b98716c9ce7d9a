package tree

import (
	"bytes"
	"encoding/xml"
	"errors"
	"io"
	"regexp"
	"strings"
	"sync"

	"frizzel/core/markup"
	"frizzel/core/syntax"
)

// parse reads a text with encoding/xml's raw tokens, which know where each ends. Entities are
// those of XML and those that the text declares as plain texts; nothing from elsewhere is read.
func (d xmlFormat) parse() error {
	x := &xmlReader{Document: d.Document, src: string(d.Text)}
	x.at = &Node{Kind: Element, End: len(d.Text), InnerEnd: len(d.Text), style: flow}
	d.Roots = []*Node{x.at}
	dec := xml.NewDecoder(bytes.NewReader(d.Text))
	dec.CharsetReader = func(_ string, in io.Reader) (io.Reader, error) { return in, nil } // it is text already
	dec.Entity = map[string]string{}
	d.entities = dec.Entity
	for depth := 0; ; {
		start := int(dec.InputOffset())
		token, err := dec.RawToken()
		if errors.Is(err, io.EOF) {
			return x.ended()
		}
		if err != nil {
			return d.xmlFault(start, err)
		}
		end := int(dec.InputOffset())
		switch token := token.(type) {
		case xml.StartElement:
			if depth++; depth > maxDepth {
				return d.fault(start, "it is nested more than %d deep", maxDepth)
			}
			err = x.open(token, start, end)
		case xml.EndElement:
			if end == start || x.src[start:min(start+2, len(x.src))] != "</" { // of an empty element
				x.at.Inner, x.at.InnerEnd = x.at.End, x.at.End
				x.at.number()
				x.at, depth = x.at.Parent, depth-1
				break
			}
			depth--
			err = x.close(token, start, end)
		case xml.CharData:
			err = x.text(string(token), start, end)
		case xml.Comment:
			x.at.add(&Node{Kind: Comment, Text: string(token), Start: start, End: end})
		case xml.ProcInst:
			x.at.add(&Node{Kind: Instruction, Name: token.Target, Text: string(token.Inst), Start: start, End: end})
		case xml.Directive:
			x.declare(string(token))
			x.at.add(&Node{Kind: Instruction, Name: "!", Text: string(token), Start: start, End: end})
		}
		if err != nil {
			return err
		}
	}
}

// xmlReader is a text that is being read.
type xmlReader struct {
	*Document
	src string
	at  *Node // the innermost open element, or the root
}

func (d *Document) xmlFault(at int, err error) error {
	reason := err.Error()
	var fault *xml.SyntaxError
	if errors.As(err, &fault) {
		reason = fault.Msg
		return &SyntaxError{syntax.XML, fault.Line, reason}
	}
	return d.fault(at, "%s", reason)
}

// ended checks what must hold of a text that was read to its end: one root element alone, and all
// of it closed.
func (x *xmlReader) ended() error {
	root := x.Roots[0]
	if x.at != root {
		return x.fault(x.at.Start, "<%s> is never closed", x.at.Name)
	}
	elements := 0
	root.number()
	for _, m := range root.Members {
		switch {
		case m.Kind == Element:
			elements++
		case m.Kind == Characters && strings.TrimSpace(m.Text) != "":
			return x.fault(m.Start, "there is text outside the root element")
		}
	}
	if elements != 1 {
		return x.fault(0, "it has %d root elements, and not one", elements)
	}
	return nil
}

func qualified(n xml.Name) string {
	if n.Space == "" {
		return n.Local
	}
	return n.Space + ":" + n.Local
}

// open takes a start tag.
func (x *xmlReader) open(token xml.StartElement, start, end int) error {
	n := &Node{Kind: Element, Name: qualified(token.Name), Start: start, End: end, Inner: end, InnerEnd: end}
	n.Key, n.KeyEnd = start+1, start+1+len(n.Name)
	if !strings.HasPrefix(x.src[n.Key:], n.Name) {
		return x.fault(start, "this tag cannot be read")
	}
	all := markup.AttributesOf(x.Text, markup.Token{NameEnd: n.KeyEnd, End: end, Empty: x.src[end-2] == '/'})
	seen := map[string]bool{}
	for _, attr := range token.Attr {
		a := &Node{Kind: Attribute, Name: qualified(attr.Name), Text: attr.Value, style: doubleQuoted}
		if !all.Next() || string(all.Bytes(all.Name)) != a.Name {
			return x.fault(start, "the attribute %s of <%s> cannot be read", a.Name, n.Name)
		}
		if seen[a.Name] {
			return x.fault(start, "<%s> has the attribute %s twice", n.Name, a.Name)
		}
		seen[a.Name] = true
		a.Key, a.KeyEnd = all.Name[0], all.Name[1]
		a.Start, a.End = all.Value[0]-1, all.Value[1]+1
		if x.src[a.Start] == '\'' {
			a.style = singleQuoted
		}
		n.add(a)
	}
	if err := x.prefixes(n); err != nil {
		return err
	}
	x.at.add(n)
	x.at = n
	return nil
}

// prefixes checks that the prefixes of a tag are declared.
func (x *xmlReader) prefixes(n *Node) error {
	n.Parent = x.at
	declared := func(prefix string) bool {
		if prefix == "xml" || prefix == "xmlns" {
			return true
		}
		for e := n; e != nil; e = e.Parent {
			for _, m := range e.Members {
				if m.Kind != Attribute {
					break
				}
				if m.Name == "xmlns:"+prefix {
					return true
				}
			}
		}
		return false
	}
	for _, of := range append([]*Node{n}, n.Members...) {
		if prefix, _, ok := strings.Cut(of.Name, ":"); ok && !declared(prefix) {
			return x.fault(n.Start, "the prefix of %s is declared nowhere", of.Name)
		}
	}
	return nil
}

// close takes an end tag.
func (x *xmlReader) close(token xml.EndElement, start, end int) error {
	n, name := x.at, qualified(token.Name)
	if n.Parent == nil || n.Name != name {
		return x.fault(start, "</%s> closes nothing that is open here", name)
	}
	n.InnerEnd, n.End = start, end
	n.Text = innerText(n)
	n.number()
	x.at = n.Parent
	return nil
}

// innerText is the text of an element that holds nothing else.
func innerText(n *Node) string {
	if n.HasMembers() {
		return ""
	}
	var b strings.Builder
	for _, m := range n.Members {
		if m.Kind == Characters {
			b.WriteString(m.Text)
		}
	}
	return b.String()
}

// text adds characters. encoding/xml returns those of a CDATA section separately.
func (x *xmlReader) text(text string, start, end int) error {
	n := &Node{Kind: Characters, Text: text, Start: start, End: end}
	if strings.HasPrefix(x.src[start:end], "<![CDATA[") {
		n.style = cdata
	}
	if strings.Contains(x.src[start:end], "]]>") && n.style != cdata {
		return x.fault(start, "]]> stands in a text")
	}
	x.at.add(n)
	return nil
}

var entity = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`<!ENTITY\s+([^\s%]+)\s+(?:"([^"&%<]*)"|'([^'&%<]*)')\s*>`)
})

// declare takes the entities that a document type declares as plain texts. Those that are made of
// others, or lie elsewhere, are not known, and what names them does not parse.
func (x *xmlReader) declare(directive string) {
	if !strings.HasPrefix(strings.TrimSpace(directive), "DOCTYPE") {
		return
	}
	for _, m := range entity().FindAllStringSubmatch(directive, -1) {
		if _, ok := x.entities[m[1]]; !ok { // the first one counts
			x.entities[m[1]] = m[2] + m[3]
		}
	}
}
