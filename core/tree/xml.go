package tree

import (
	"bytes"
	"strings"
	"unicode/utf8"

	"frizzel/core/edit"
	"frizzel/core/syntax"
)

// xmlFormat writes texts and attributes of XML.
type xmlFormat struct{ plain }

func (c xmlFormat) inner(n *Node) (int, int) {
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

func (c xmlFormat) escape(n *Node, raw, value string) (of, to int) {
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
			return end + 1, c.entityLength(raw[:end+1], value)
		}
	}
	return 0, 0
}

// entityLength returns the length of an entity's text in value.
func (c xmlFormat) entityLength(entity, value string) int {
	switch entity {
	case "&amp;", "&lt;", "&gt;", "&quot;", "&apos;":
		return 1
	}
	if text, ok := c.entities[entity[1:len(entity)-1]]; ok {
		return len(text)
	}
	if strings.HasPrefix(entity, "&#") {
		_, size := utf8.DecodeRuneInString(value)
		return size
	}
	return len(value) + 1 // too long, so the value is rewritten as a whole
}

var (
	textEscapes      = strings.NewReplacer("&", "&amp;", "<", "&lt;", ">", "&gt;", "\r", "&#13;")
	plainEscapes     = strings.NewReplacer("&", "&amp;", "<", "&lt;", "]]>", "]]&gt;", "\r", "&#13;")
	attributeEscapes = strings.NewReplacer("&", "&amp;", "<", "&lt;", "\n", "&#10;", "\t", "&#9;", "\r", "&#13;")
)

func (c xmlFormat) fragment(n *Node, text string) (string, bool) {
	switch {
	case !validXML(text):
		return "", false
	case n.Kind == Attribute && n.style == singleQuoted:
		return strings.ReplaceAll(attributeEscapes.Replace(text), "'", "&apos;"), true
	case n.Kind == Attribute:
		return strings.ReplaceAll(attributeEscapes.Replace(text), `"`, "&quot;"), true
	case n.Kind == Comment:
		return c.broken(text), !strings.ContainsAny(text, "-\r")
	case n.style == cdata:
		return c.broken(text), !strings.ContainsAny(text, "]>\r")
	case n.Kind == Element && bytes.Contains(c.Text[n.Inner:n.InnerEnd], []byte("<![CDATA[")):
		return c.broken(text), !strings.ContainsAny(text, "]>&<\r")
	}
	return c.broken(plainEscapes.Replace(text)), true
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

func (c xmlFormat) forms(n *Node, text string, _ Kind) []string {
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
			all = append(all, open+"<![CDATA["+c.broken(text)+"]]></"+n.Name+">")
		}
		return append(all, open+c.escaped(text)+"</"+n.Name+">")
	case Attribute:
		raw, _ := c.fragment(n, text)
		quote := c.raw(n.Start, n.Start+1)
		return []string{quote + raw + quote}
	case Comment:
		return []string{"<!--" + c.broken(text) + "-->"}
	}
	if n.style == cdata {
		return []string{"<![CDATA[" + c.broken(text) + "]]>", c.escaped(text)}
	}
	return []string{c.escaped(text)}
}

// escaped returns a text for between tags.
func (c xmlFormat) escaped(text string) string { return c.broken(textEscapes.Replace(text)) }

// wholeCDATA reports whether an element's content is one CDATA section.
func (c xmlFormat) wholeCDATA(n *Node) bool {
	return len(n.Members) > 0 && n.Members[len(n.Members)-1].style == cdata
}

// reads reads raw in a document of its own, with the entities that this one declares.
func (c xmlFormat) reads(n *Node, raw string) (string, Kind, bool) {
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

func (c xmlFormat) bareKind(*Node, string) Kind { return String }

func (xmlFormat) traits() traits { return traits{joinsTexts: true} }

// fits compares an element's name with its prefix, or without one.
func (xmlFormat) fits(s *Step, n *Node) bool {
	kind := Element
	if s.Attribute {
		kind = Attribute
	}
	_, local, prefixed := strings.Cut(n.Name, ":")
	if n.Kind != kind || n.Name != s.Name && !(prefixed && local == s.Name && kind == Element) {
		return false
	}
	return true
}

func (c xmlFormat) canBecome(n *Node, literal bool) error {
	if n.HasMembers() && !literal && n.Parent != nil {
		return misfit("%s holds other elements", c.Path(n))
	}
	return c.notAFile(n)
}

func (xmlFormat) newKind(s *Step, holds bool) Kind {
	if s.Attribute && !holds {
		return Attribute
	}
	return Element
}

func (xmlFormat) key(_ *Node, name string) (string, error) {
	made, err := Parse(syntax.XML, []byte("<x "+name+`="" />`))
	if err != nil || len(made.Roots[0].Members[0].Members) != 1 || made.Roots[0].Members[0].Members[0].Name != name {
		if prefix, local, ok := strings.Cut(name, ":"); !ok || !nameOfXML(prefix) || !nameOfXML(local) {
			return "", misfit("%q is not a valid XML name", name)
		}
	}
	return name, nil
}

func nameOfXML(s string) bool {
	_, err := Parse(syntax.XML, []byte("<"+s+"/>"))
	return err == nil && !strings.ContainsAny(s, " \t\r\n/>")
}

func (c xmlFormat) rootPath(alone bool) string {
	if alone {
		return "/"
	}
	return ""
}

// remove removes elements, attributes and other nodes.
func (d xmlFormat) remove(_ *Node, nodes []*Node) (edits edit.List, err error) {
	for _, n := range nodes {
		if n.Kind == Element && n.Parent.Parent == nil {
			return nil, misfit("the root element cannot be deleted")
		}
		start, end := n.span()
		if n.Kind == Attribute {
			for start > 0 && strings.IndexByte(" \t\r\n", d.Text[start-1]) >= 0 {
				start--
			}
		} else if from, to, ok := d.wholeLines(start, end); ok {
			start, end = from, to
		}
		edits = append(edits, edit.Edit{Start: start, End: end})
	}
	return edits, nil
}
