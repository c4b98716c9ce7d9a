package tree

import (
	"bytes"
	"encoding/xml"
	"errors"
	"io"
	"regexp"
	"strings"
	"sync"
	"unicode/utf8"

	"frizzel/core/edit"
	"frizzel/core/lines"
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

var lastTag = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`\s*/?>$`) })

// literal parses a piece of XML as the content of the element at a step.
func (c xmlFormat) literal(s *Step, text string) (*Node, error) {
	if s.Attribute {
		return nil, misfit("an attribute is a text, and no piece of XML")
	}
	prefixes := ""
	for _, m := range prefixed().FindAllStringSubmatch(text, -1) {
		if name := " xmlns:" + m[1] + "="; m[1] != "xml" && m[1] != "xmlns" && !strings.Contains(prefixes, name) {
			prefixes += name + `"x"`
		}
	}
	made, err := Parse(syntax.XML, []byte("<x"+prefixes+">"+text+"</x>"))
	if err != nil {
		return nil, err
	}
	root := made.Roots[0].Members[0]
	n := &Node{Kind: Element, Name: s.Name, raw: strings.TrimRight(text, "\n")}
	for _, m := range root.Members {
		if m.Kind != Attribute {
			n.add(m)
		}
	}
	n.Text = innerText(n)
	return n, nil
}

var prefixed = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`[</\s]([\pL_][\pL\pN_.-]*):[\pL_]`) })

// written puts the content of an element in the place of another.
func (c xmlFormat) written(n, want *Node) edit.List {
	indent := string(lines.Indentation(c.Text[c.lineStart(n.Start):n.Start]))
	content := c.within(want, indent, c.step())
	if n.Inner == n.End && strings.HasSuffix(c.raw(n.Start, n.End), "/>") {
		at := n.End - len(lastTag().FindString(c.raw(n.Start, n.End)))
		return edit.List{{Start: at, End: n.End, New: []byte(">" + content + "</" + n.Name + ">")}}
	}
	return c.replaced(n.Inner, n.InnerEnd, content)
}

// add adds an attribute or an element to an element.
func (c xmlFormat) add(w *memberWriter, parent, want *Node, before int) (edit.List, error) {
	if parent.Parent == nil {
		return nil, misfit("an XML file has one root element, which is another one here")
	}
	if want.Kind == Attribute {
		return c.addAttribute(parent, want)
	}
	if !allValid(want) {
		return nil, &CannotHoldError{"XML cannot hold " + excerpt(want.Text)}
	}
	var last *Node
	mixed := false
	for _, m := range parent.Members {
		switch {
		case m.Kind == Element || m.Kind == Comment:
			last = m
		case m.Kind == Characters && strings.TrimSpace(m.Text) != "":
			mixed = true
		}
	}
	open := w.raw(parent.Start, parent.Inner)
	nl, step := w.ending(), w.step()
	own := string(lines.Indentation(w.Text[w.lineStart(parent.Start):parent.Start]))
	selfClosing := strings.HasSuffix(open, "/>") && parent.Inner == parent.End
	switch {
	case mixed:
		return nil, misfit("%s holds text beside which nothing is added", w.Path(parent))
	case selfClosing:
		at := parent.End - len(lastTag().FindString(open))
		return edit.List{{Start: at, End: parent.End, New: []byte(">" + nl + own + step + c.element(want, own+step, step) + nl + own + "</" + parent.Name + ">")}}, nil
	case last == nil:
		return edit.List{{Start: parent.Inner, End: parent.InnerEnd, New: []byte(nl + own + step + c.element(want, own+step, step) + nl + own)}}, nil
	case before < len(parent.Members):
		next := parent.Members[before]
		if from := w.lineStart(next.Start); strings.TrimSpace(w.raw(from, next.Start)) == "" {
			indent := w.raw(from, next.Start)
			return edit.List{{Start: next.Start, End: next.Start, New: []byte(c.element(want, indent, step) + nl + indent)}}, nil
		}
		return edit.List{{Start: next.Start, End: next.Start, New: []byte(c.element(want, "", ""))}}, nil
	}
	if from := w.lineStart(last.Start); strings.TrimSpace(w.raw(from, last.Start)) == "" {
		indent := w.raw(from, last.Start)
		return edit.List{{Start: last.End, End: last.End, New: []byte(nl + indent + c.element(want, indent, step))}}, nil
	}
	return edit.List{{Start: last.End, End: last.End, New: []byte(c.element(want, "", ""))}}, nil
}

// allValid reports whether XML can hold the texts of a new node.
func allValid(n *Node) bool {
	for _, m := range n.Members {
		if !allValid(m) {
			return false
		}
	}
	return validXML(n.Text)
}

// addAttribute adds an attribute behind the last one, on a line of its own if that has one.
func (c xmlFormat) addAttribute(parent, want *Node) (edit.List, error) {
	raw, ok := c.fragment(&Node{Kind: Attribute, style: doubleQuoted}, want.Text)
	if !ok {
		return nil, &CannotHoldError{"an attribute cannot hold " + excerpt(want.Text)}
	}
	at, space, behind := parent.KeyEnd, " ", parent.KeyEnd
	for _, m := range parent.Members {
		if m.Kind != Attribute {
			break
		}
		if space = c.raw(behind, m.Key); !strings.Contains(space, "\n") || strings.TrimSpace(space) != "" {
			space = " "
		}
		at, behind = m.End, m.End
	}
	return edit.List{{Start: at, End: at, New: []byte(space + want.Name + `="` + raw + `"`)}}, nil
}

// within returns the content of a new element.
func (c xmlFormat) within(n *Node, indent, step string) string {
	nl := c.ending()
	switch {
	case strings.Contains(n.raw, "\n"):
		return nl + indent + step + strings.ReplaceAll(n.raw, "\n", nl+indent+step) + nl + indent
	case n.raw != "":
		return n.raw
	}
	var b strings.Builder
	elements := 0
	for _, m := range n.Members {
		if m.Kind != Element {
			continue
		}
		elements++
		if step != "" {
			b.WriteString(nl + indent + step)
		}
		b.WriteString(c.element(m, indent+step, step))
	}
	if elements == 0 {
		return c.escaped(n.Text)
	}
	if step != "" {
		b.WriteString(nl + indent)
	}
	return b.String()
}

// element returns an element with its content.
func (c xmlFormat) element(n *Node, indent, step string) string {
	var b strings.Builder
	b.WriteString("<" + n.Name)
	for _, m := range n.Members {
		if m.Kind == Attribute {
			raw, _ := c.fragment(&Node{Kind: Attribute, style: doubleQuoted}, m.Text)
			b.WriteString(" " + m.Name + `="` + raw + `"`)
		}
	}
	content := c.within(n, indent, step)
	if content == "" {
		return b.String() + "/>"
	}
	return b.String() + ">" + content + "</" + n.Name + ">"
}

// reorder moves elements, with the comments directly above them, and other comments; text beside them has no other place.
func (c xmlFormat) reorder(parent *Node, order []*Node) (edit.List, error) {
	with := map[*Node]int{}      // where what belongs to an element begins
	follows := map[*Node]*Node{} // the element that a comment belongs to
	for _, m := range parent.Members {
		switch {
		case m.Kind == Characters && strings.TrimSpace(m.Text) != "":
			return nil, misfit("%s holds text beside which nothing is moved", c.Path(parent))
		case m.Kind == Element:
			above := parent.Members[withComments(m):m.Index()]
			with[m] = m.Start
			for _, n := range above {
				follows[n] = m
				with[m] = min(with[m], n.Start)
			}
		}
	}
	nodes := func(all []*Node) (out []*Node) {
		for _, m := range all {
			if m.Kind != Characters && m.Kind != Attribute && follows[m] == nil {
				out = append(out, m)
			}
		}
		return out
	}
	return c.permuted(parent, nodes(parent.Members), nodes(order), func(n *Node) (int, int) {
		if from, ok := with[n]; ok {
			return from, n.End
		}
		return n.Start, n.End
	}), nil
}
