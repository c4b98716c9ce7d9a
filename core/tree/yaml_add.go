package tree

import (
	"slices"
	"strings"

	"frizzel/core/edit"
	"frizzel/core/lines"
)

// How members and values come into a text of YAML: between brackets as in other formats, else as lines.

func (c yamlFormat) add(w *memberWriter, parent, want *Node, before int) (edit.List, error) {
	switch {
	case parent.pair:
		edits, err := c.plain.add(w, &Node{style: flow, Members: []*Node{{Start: parent.Start, End: parent.End}}, Start: parent.Start, End: parent.End + 1}, want, 1)
		return append(edit.List{{Start: parent.Start, End: parent.Start, New: []byte("{")}}, append(edits, edit.Edit{Start: parent.End, End: parent.End, New: []byte("}")})...), err
	case parent.style == flow:
		return c.plain.add(w, parent, want, before)
	}
	indent := strings.Repeat(" ", c.indent(parent))
	var text string
	if parent.Kind == Array {
		text = "- " + inner(c.item(w, parent, want), "  ")
	} else {
		text = c.entry(w, parent, want)
	}
	text = c.at(text, indent)
	if before < len(parent.Members) {
		return c.addBefore(parent, parent.Members[before], text, indent)
	}
	at := c.behindOpen(parent.Start, c.lineEnd(parent.End))
	return append(c.endedBlock(parent, at), edit.Edit{Start: at, End: at, New: []byte(c.ending() + indent + text)}), nil
}

// addBefore adds lines before a member.
func (c yamlFormat) addBefore(parent, next *Node, text, indent string) (edit.List, error) {
	start, _ := next.span()
	if parent.Kind == Array {
		if start = c.dash(parent, next); start < 0 {
			return nil, misfit("where %s begins cannot be told", c.Path(next))
		}
	}
	if strings.TrimSpace(c.raw(c.lineStart(start), start)) != "" { // behind a dash
		return edit.List{{Start: start, End: start, New: []byte(text + c.ending() + indent)}}, nil
	}
	least := 0
	if parent.Parent != nil {
		least = parent.Key
	}
	at := c.aboveComments(start, least)
	return edit.List{{Start: at, End: at, New: []byte(indent + text + c.ending())}}, nil
}

// entry returns the lines of a new member of an object, from column 0.
func (c yamlFormat) entry(w *memberWriter, like, n *Node) string {
	name := w.nameLike(like, n.Name)
	if c.inLines(w, n) {
		step := c.blockStep()
		if n.Kind == Array || strings.HasPrefix(n.raw, "- ") {
			step = c.listStep()
		}
		return name + ":\n" + step + inner(c.item(w, like, n), step)
	}
	return name + w.separator(like) + inner(c.item(w, like, n), c.blockStep())
}

// item returns the lines of a new value, from column 0.
func (c yamlFormat) item(w *memberWriter, like, n *Node) string {
	if !c.inLines(w, n) {
		if n.HasMembers() || n.raw != "" || !strings.Contains(n.Text, "\n") || n.Kind != String {
			return c.value(w, like, n, "", "")
		}
		if block, ok := c.newBlock(n.Text); ok {
			return block
		}
		return w.scalar(&Node{Parent: like}, n.Text)
	}
	if n.raw != "" && strings.Contains(n.raw, "\n") {
		return n.raw
	}
	var all []string
	for _, m := range n.Members {
		if n.Kind == Array {
			all = append(all, "- "+inner(c.item(w, &Node{}, m), "  "))
		} else {
			all = append(all, c.entry(w, &Node{}, m))
		}
	}
	return strings.Join(all, "\n")
}

// inLines reports whether a new value is lines of its own, below its key.
func (c yamlFormat) inLines(w *memberWriter, n *Node) bool {
	switch {
	case strings.Contains(n.raw, "\n"):
		return strings.IndexByte("[{|>\"'", n.raw[0]) < 0
	case !n.HasMembers() || len(n.Members) == 0 || w.layout == onOneLine:
		return false
	}
	return n.raw == "" || w.layout == onLines
}

// newBlock returns a text as a new block, from column 0. It reports false if quotes are better.
func (c yamlFormat) newBlock(text string) (string, bool) {
	body := strings.TrimRight(text, "\n")
	sign := "|"
	switch ends := len(text) - len(body); {
	case body == "" || strings.ContainsAny(text, "\r\u0085\u2028\u2029\ufeff") || body[0] == ' ' || body[0] == '\n', ends > 1:
		return "", false
	case ends == 0:
		sign = "|-"
	}
	return sign + "\n" + body, true
}

// inner indents all lines but the first.
func inner(text, indent string) string {
	all := strings.Split(text, "\n")
	for i := 1; i < len(all); i++ {
		if all[i] != "" {
			all[i] = indent + all[i]
		}
	}
	return strings.Join(all, "\n")
}

// at returns lines for a place with an indentation, which precedes the first one there.
func (c yamlFormat) at(text, indent string) string {
	return strings.ReplaceAll(inner(text, indent), "\n", c.ending())
}

func (c yamlFormat) blockStep() string {
	if step := c.step(); step != "\t" {
		return step
	}
	return "  "
}

// listStep returns what lists below a key are indented by: as the first one in the file is.
func (c yamlFormat) listStep() string {
	if c.lists >= 0 {
		return strings.Repeat(" ", c.lists)
	}
	var find func(n *Node) bool
	find = func(n *Node) bool {
		if n.Kind == Array && n.style != flow && n.Parent != nil && n.Parent.Kind == Object && n.Parent.style != flow {
			c.lists = max(c.indent(n)-c.indent(n.Parent), 0)
			return true
		}
		return slices.ContainsFunc(n.Members, find)
	}
	if !slices.ContainsFunc(c.Roots, find) {
		c.lists = len(c.blockStep())
	}
	return strings.Repeat(" ", c.lists)
}

// written puts a value in the place of another: behind its key, or as lines below that.
func (c yamlFormat) written(n, want *Node) edit.List {
	like := n.Parent
	if like == nil {
		like = &Node{}
	}
	w := c.writerFor(like, n)
	start := n.Start
	if n.Kind != Alias {
		start = n.Inner
	}
	if like.style == flow {
		return c.replaced(start, n.End, c.spaced(n, c.value(w, like, want, "", "")))
	}
	underKey := like.Kind == Object && n.Parent != nil
	if underKey && (c.inLines(w, want) || n.HasMembers() && n.style != flow) { // up to its key
		for start > 0 && strings.IndexByte(" \t\r\n", c.Text[start-1]) >= 0 {
			start--
		}
	}
	switch {
	case !underKey:
		indent := ""
		if n.Parent != nil {
			indent = strings.Repeat(" ", c.indent(like)+2)
		}
		return c.writtenItem(n, start, c.at(c.item(w, like, want), indent))
	case !c.inLines(w, want):
		text := c.at(c.item(w, like, want), strings.Repeat(" ", c.indent(like))+c.blockStep())
		if start < n.Inner || n.Start == n.End {
			text = " " + text
		}
		if n.Start == n.End {
			return c.replaced(start, n.End, c.leading(n)+strings.TrimPrefix(text, " "))
		}
		return c.replaced(start, n.End, text)
	}
	step := c.blockStep()
	if want.Kind == Array {
		step = c.listStep()
	}
	indent := strings.Repeat(" ", c.indent(like)) + step
	text := c.ending() + indent + c.at(c.item(w, like, want), indent)
	if n.Start == n.End && c.Text[n.Start-1] != ':' {
		text = strings.TrimRight(c.leading(n), " ") + text
	}
	if at := c.lineEnd(n.End); at > n.End && !n.HasMembers() { // a comment stays on the key's line
		edits := edit.List{{Start: at, End: at, New: []byte(text)}}
		if start < n.End {
			edits = slices.Insert(edits, 0, edit.Edit{Start: start, End: n.End})
		}
		return edits
	}
	return c.replaced(start, n.End, text)
}

// writtenItem is written for an item, or for a whole document.
func (c yamlFormat) writtenItem(n *Node, start int, text string) edit.List {
	if n.Parent == nil && n.Start == n.End { // nothing at all, or comments
		text += c.ending()
		if at := len(c.Text); at > 0 && c.Text[at-1] != '\n' {
			text = c.ending() + text
		}
		if n.Start == len(c.Text) || strings.TrimSpace(string(c.Text[n.Start:])) == "" {
			return edit.List{{Start: len(c.Text), End: len(c.Text), New: []byte(text)}}
		}
		at := lines.Next(c.Text, c.lineStart(n.Start), len(c.Text))
		return edit.List{{Start: at, End: at, New: []byte(text)}}
	}
	return c.replaced(start, n.End, c.spaced(n, text))
}

// endedBlock returns the edit that keeps the last block of lines in n without a final line break, where the text has none at
// its end either and something is to follow there.
func (d yamlFormat) endedBlock(n *Node, at int) edit.List {
	for len(n.Members) > 0 {
		n = n.Members[len(n.Members)-1]
	}
	if at < len(d.Text) || n.style != literalBlock && n.style != foldedBlock || at == 0 || d.Text[at-1] == '\n' || n.End < at {
		return nil
	}
	header := blockHeader().FindString(d.raw(n.Inner, n.End))
	if sign := strings.IndexAny(header, "-+"); sign >= 0 {
		return edit.List{{Start: n.Inner + sign, End: n.Inner + sign + 1, New: []byte("-")}}
	}
	return edit.List{{Start: n.Inner + 1, End: n.Inner + 1, New: []byte("-")}}
}

// extent begins at the dash of an item.
func (c yamlFormat) extent(n *Node) (start, end int) {
	start, end = n.span()
	if p := n.Parent; p != nil && p.Kind == Array && p.style != flow {
		if at := c.dash(p, n); at >= 0 {
			start = at
		}
	}
	return start, end
}
