package tree

import (
	"bytes"
	"strings"
	"unicode/utf8"

	"frizzel/core/syntax"
)

// xmlCodec writes texts and attributes of XML.
type xmlCodec struct{ *Document }

func (c xmlCodec) inner(n *Node) (int, int) {
	switch {
	case n.Kind == Element:
		return n.Inner, n.InnerEnd
	case n.Kind == Attribute:
		return n.Start + 1, n.End - 1
	case n.Kind == Comment:
		return n.Start + len("<!--"), n.End - len("-->")
	case n.style == cdata:
		return n.Start + len("<![CDATA["), n.End - len("]]>")
	}
	return n.Start, n.End
}

func (c xmlCodec) escape(n *Node, raw, value string) (of, to int) {
	if n.Kind == Element {
		switch {
		case strings.HasPrefix(raw, "<![CDATA["):
			return len("<![CDATA["), 0
		case strings.HasPrefix(raw, "]]>"):
			return len("]]>"), 0
		}
	}
	switch {
	case strings.HasPrefix(raw, "\r\n"):
		return 2, 1
	case raw[0] == '&' && n.Kind != Comment && n.style != cdata:
		if end := strings.IndexByte(raw, ';'); end > 0 {
			if raw == value[:min(len(raw), len(value))] { // in a CDATA section
				return 0, 0
			}
			return end + 1, entityLength(raw[:end+1], value)
		}
	}
	return 0, 0
}

// entityLength returns how many bytes of a value an entity stands for.
func entityLength(entity, value string) int {
	switch entity {
	case "&amp;", "&lt;", "&gt;", "&quot;", "&apos;":
		return 1
	}
	if strings.HasPrefix(entity, "&#") {
		_, size := utf8.DecodeRuneInString(value)
		return size
	}
	return len(value) + 1 // which no value is, so that it is taken whole
}

var (
	textEscapes      = strings.NewReplacer("&", "&amp;", "<", "&lt;", ">", "&gt;", "\r", "&#13;")
	plainEscapes     = strings.NewReplacer("&", "&amp;", "<", "&lt;", "]]>", "]]&gt;", "\r", "&#13;")
	attributeEscapes = strings.NewReplacer("&", "&amp;", "<", "&lt;", "\n", "&#10;", "\t", "&#9;", "\r", "&#13;")
)

func (c xmlCodec) fragment(n *Node, text string) (string, bool) {
	switch {
	case !validXML(text):
		return "", false
	case n.Kind == Attribute && n.style == singleQuoted:
		return strings.ReplaceAll(attributeEscapes.Replace(text), "'", "&apos;"), true
	case n.Kind == Attribute:
		return strings.ReplaceAll(attributeEscapes.Replace(text), `"`, "&quot;"), true
	case n.Kind == Comment:
		return text, !strings.Contains(text, "-")
	case n.style == cdata:
		return text, !strings.ContainsAny(text, "]>")
	case n.Kind == Element && bytes.Contains(c.Text[n.Inner:n.InnerEnd], []byte("<![CDATA[")):
		return text, !strings.ContainsAny(text, "]>&<\r")
	}
	return plainEscapes.Replace(text), true
}

func validXML(text string) bool {
	for i, r := range text {
		if r == utf8.RuneError {
			if _, size := utf8.DecodeRuneInString(text[i:]); size == 1 {
				return false
			}
		}
		if r < ' ' && r != '\t' && r != '\n' && r != '\r' || r == 0xfffe || r == 0xffff {
			return false
		}
	}
	return true
}

func (c xmlCodec) forms(n *Node, text string, _ Kind) []string {
	if !validXML(text) {
		return nil
	}
	switch n.Kind {
	case Element:
		open := c.raw(n.Start, n.Inner)
		if strings.HasSuffix(open, "/>") && n.Inner == n.End {
			open = strings.TrimRight(strings.TrimSuffix(open, "/>"), " \t\r\n") + ">"
		}
		all := []string{}
		if c.wholeCDATA(n) && !strings.Contains(text, "]]>") {
			all = append(all, open+"<![CDATA["+text+"]]></"+n.Name+">")
		}
		return append(all, open+textEscapes.Replace(text)+"</"+n.Name+">")
	case Attribute:
		raw, _ := c.fragment(n, text)
		quote := c.raw(n.Start, n.Start+1)
		return []string{quote + raw + quote}
	case Comment:
		return []string{"<!--" + text + "-->"}
	}
	if n.style == cdata {
		return []string{"<![CDATA[" + text + "]]>", textEscapes.Replace(text)}
	}
	return []string{textEscapes.Replace(text)}
}

// wholeCDATA reports whether an element's text stands in one CDATA section.
func (c xmlCodec) wholeCDATA(n *Node) bool {
	return len(n.Members) > 0 && n.Members[len(n.Members)-1].style == cdata
}

// reads reads raw in a document of its own, with the entities that this one declares.
func (c xmlCodec) reads(n *Node, raw string) (string, Kind, bool) {
	doctype := ""
	prefixes := ""
	for _, m := range c.Roots[0].Members {
		if m.Name == "!" {
			doctype = c.raw(m.Start, m.End)
		}
	}
	seen := map[string]bool{}
	for e := n; e != nil && e.Kind == Element || e == n && e.Kind == Attribute; e = e.Parent {
		for _, m := range e.Members {
			if m.Kind != Attribute { // which come first
				break
			}
			if strings.HasPrefix(m.Name, "xmlns:") && !seen[m.Name] {
				if seen[m.Name] = true; e != n {
					prefixes += " " + m.Name + `="x"`
				}
			}
		}
	}
	doc := doctype + "<x" + prefixes + ">" + raw + "</x>"
	if n.Kind == Attribute {
		doc = doctype + "<x" + prefixes + " y=" + raw + "></x>"
	}
	made, err := Parse(syntax.XML, []byte(doc))
	if err != nil {
		return "", 0, false
	}
	root := made.Roots[0].Members[len(made.Roots[0].Members)-1]
	switch n.Kind {
	case Attribute:
		if len(root.Members) == 0 || root.Members[len(root.Members)-1].Name != "y" || root.HasMembers() || root.Text != "" {
			return "", 0, false
		}
		return root.Members[len(root.Members)-1].Text, Attribute, true
	case Characters:
		if root.HasMembers() {
			return "", 0, false
		}
		return root.Text, Characters, true
	}
	attributes := strings.Count(prefixes, " ")
	if len(root.Members) != attributes+1 || root.Members[attributes].Kind != n.Kind {
		return "", 0, false
	}
	return root.Members[attributes].Text, n.Kind, true
}

func (c xmlCodec) bareKind(string) Kind { return String }
