package tree

import (
	"regexp"
	"strings"
	"sync"

	"frizzel/core/edit"
	"frizzel/core/lines"
	"frizzel/core/syntax"
)

// How elements, attributes and pieces of XML come into a text.

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
