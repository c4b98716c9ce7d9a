package compile

import (
	"errors"
	"strings"
	"unicode/utf8"

	"frizzel/core/program"
	"frizzel/core/query"
	"frizzel/core/script"
	"frizzel/core/syntax"
	"frizzel/core/tree"
)

// path compiles what an at selects by; nil after an error.
func (c *compiler) path(t *script.Text) *query.Path {
	var p *query.Path
	c.compilePath(t, func(source string) (bool, syntax.Family, error) {
		made, err := query.Compile(source)
		if err != nil {
			return false, 0, err
		}
		p = made
		return p.Relative, p.Family, nil
	})
	return p
}

// onePlace compiles the path of one place; nil after an error.
func (c *compiler) onePlace(t *script.Text, list bool) *query.Target {
	var p *query.Target
	c.compilePath(t, func(source string) (bool, syntax.Family, error) {
		made, err := query.CompileTarget(source, list)
		if err != nil {
			return false, 0, err
		}
		p = made
		return p.Relative, p.Family, nil
	})
	return p
}

// compilePath fills in a path's placeholders and compiles it. It reports errors of the path and of its position.
func (c *compiler) compilePath(t *script.Text, compile func(source string) (relative bool, family syntax.Family, err error)) {
	source, ok := c.pathText(t)
	if !ok {
		return
	}
	relative, family, err := compile(source)
	if err != nil {
		c.badPath(t, err)
		return
	}
	c.standsHere(t, relative, family, source)
}

// badPath reports a path that is none, with its place in it.
func (c *compiler) badPath(t *script.Text, err error) {
	var e *query.Error
	if !errors.As(err, &e) {
		c.errorf(t.Pos, "", "%v", err)
		return
	}
	pos := t.Pos
	if e.At >= 0 && !t.Block && len(t.Parts) <= 1 {
		pos.Column = t.Column + utf8.RuneCountInString(t.Raw[:min(e.At, len(t.Raw))])
		pos.Width = 1
	}
	c.errorf(pos, e.Remedy, "%s", e.Reason)
}

// standsHere reports a path that is not relative under another one, or is relative elsewhere.
func (c *compiler) standsHere(t *script.Text, relative bool, family syntax.Family, source string) {
	var outer *program.Address
	for _, a := range c.within {
		if a.Path() != nil {
			outer = a
		}
	}
	switch {
	case outer == nil && len(c.within) > 0:
		c.errorf(t.Pos, "put the path outside, as in: at '$.data' { on line 1 delete }", "a path selects in a whole file, and stands under lines here")
	case outer != nil && c.within[len(c.within)-1].Path() == nil:
		c.errorf(t.Pos, "put it outside of those lines", "a path selects values, and stands under lines of one here")
	case outer == nil && relative && family == syntax.Values:
		c.errorf(t.Pos, "begin it with $, the whole file", "a path that begins with @ stands under another at")
	case outer == nil && relative:
		c.errorf(t.Pos, "begin it with /, as in: at '/"+strings.TrimPrefix(source, "./")+"', or with $ for JSON, YAML, TOML and CSV", "a relative path stands under another at")
	case outer != nil && !relative && family == syntax.Values:
		c.errorf(t.Pos, "begin it with @, the value that the path around it selected", "a path under another one begins where that one led")
	case outer != nil && !relative:
		c.errorf(t.Pos, "leave out the leading /", "a path under another one begins where that one led")
	case outer != nil && outer.Path().Family != family:
		c.errorf(t.Pos, "", "a path for XML and one for other files stand in each other")
	}
}

// pathText fills in a path's placeholders, which are in its quoted strings.
func (c *compiler) pathText(t *script.Text) (string, bool) {
	values := true // JSONPath
	if plain := strings.TrimSpace(t.Raw); plain != "" {
		values = plain[0] == '$' || plain[0] == '@' && (len(plain) == 1 || strings.IndexByte(".[", plain[1]) >= 0)
	}
	var b strings.Builder
	quote := byte(0)
	for i, part := range t.Parts {
		if part.Hole == nil {
			for k := 0; k < len(part.Literal); k++ {
				switch ch := part.Literal[k]; {
				case quote == 0 && (ch == '"' || ch == '\''):
					quote = ch
				case ch == quote:
					quote = 0
				case ch == '\\' && values && quote != 0:
					k++
				}
			}
			b.WriteString(part.Literal)
			continue
		}
		before := len(c.problems)
		value := c.constant(&script.Text{Pos: t.Pos, Parts: t.Parts[i : i+1]})
		switch {
		case len(c.problems) > before:
			return "", false
		case quote == 0:
			c.errorf(part.Hole.Pos, `put it in quotes, as in [?@.name == "{=`+part.Hole.Name+`}"]`, "a placeholder stands in a quoted string of a path only")
			return "", false
		case values:
			b.WriteString(escapedIn(value, quote))
		case strings.IndexByte(value, quote) >= 0:
			c.errorf(part.Hole.Pos, "put the path's string in the other quotes", "the value of {=%s} holds the quote that this string stands in", part.Hole.Name)
			return "", false
		default:
			b.WriteString(value)
		}
	}
	return b.String(), true
}

// escapedIn writes a value for a string of JSONPath in some quotes.
func escapedIn(value string, quote byte) string {
	return strings.NewReplacer(`\`, `\\`, string(quote), `\`+string(quote), "\n", `\n`, "\t", `\t`, "\r", `\r`, "\b", `\b`, "\f", `\f`).Replace(value)
}

func (c *compiler) settleValue(n *script.SettleValue) program.Action {
	s := &program.SettleValue{Place: c.onePlace(n.Path, n.Item), Text: c.template(n.Text, nil), Literal: n.Literal, Item: n.Item, Source: n.Path.Raw}
	c.moves(n.Pos)
	if s.Place == nil {
		return nil
	}
	if s.Place.Family == syntax.Markup && s.Item {
		c.errorf(n.Path.Pos, "", "XML has no lists; settle value adds an element found by what it holds, as in /signage/sign[@host=\"depot-3\"]")
		return nil
	}
	s.Added = c.memberPlace(n.Where, s.Place.Family)
	if last := len(s.Place.Steps) - 1; n.Literal && last >= 0 && s.Place.Steps[last].Attribute {
		c.errorf(n.Path.Pos, "leave out literal", "an attribute is a text, and no piece of XML")
	} else if n.Literal {
		c.checkLiteral(s.Text, n.Text, s.Place.Family)
	}
	return s
}

// checkLiteral reports a constant that is a literal in no syntax of a family.
func (c *compiler) checkLiteral(t *program.Template, at *script.Text, family syntax.Family) {
	text, ok := t.Constant()
	switch {
	case !ok || tree.AnyLiteral(text, family):
	case family == syntax.Markup:
		c.errorf(at.Pos, "leave out literal for a text, or close what it opens", "%q is no piece of XML", text)
	default:
		c.errorf(at.Pos, "leave out literal for a text, or write it as the file would, as in 8415, true, [1, 2]", "%q stands for no value in JSON, YAML or TOML", text)
	}
}

// memberPlace compiles where a member goes among its siblings.
func (c *compiler) memberPlace(p script.Place, family syntax.Family) tree.Place {
	place := tree.Place{Top: p.Top, Below: p.Below}
	if p.Near == nil {
		return place
	}
	source, ok := c.pathText(p.Near)
	if !ok {
		return place
	}
	target, err := query.CompileTarget(source, false)
	switch {
	case err != nil:
		c.badPath(p.Near, err)
	case !target.Relative || len(target.Steps) != 1 || family != syntax.NoFamily && target.Family != family:
		c.errorf(p.Near.Pos, "such as '@.host', or in XML 'host'", "%s names no sibling: a path of one step from the parent does", source)
	default:
		place.Near = target.Steps
	}
	return place
}

func (c *compiler) rename(n *script.Rename) program.Action {
	c.oneLine(n.To, "a name")
	if len(c.within) == 0 || c.within[len(c.within)-1].Path() == nil {
		c.errorf(n.Pos, `say of which member, as in: at '$.clock.server' rename to "host"`, "rename stands right under an at")
	}
	return &program.RenameMembers{To: c.template(n.To, nil)}
}

// underPath reports whether the innermost address is an at.
func (c *compiler) underPath() bool {
	return len(c.within) > 0 && c.within[len(c.within)-1].Path() != nil
}

// rewriteLiteral compiles `rewrite as literal`, which is about values.
func (c *compiler) rewriteLiteral(n *script.Rewrite) program.Action {
	switch {
	case len(c.within) == 0:
		return nil // which is an error already
	case !c.underPath():
		c.errorf(n.Pos, `say of which value, as in: at '$.port' rewrite as literal "8415"`, "rewrite as literal stands right under an at")
		return nil
	}
	family := c.within[len(c.within)-1].Path().Family
	s := &program.SettleValue{Place: &query.Target{Family: family}, Text: c.template(n.Text, nil), Literal: true, Source: "the value"}
	c.checkLiteral(s.Text, n.Text, family)
	return s
}

// moveMember compiles `move` for the members that a path selects.
func (c *compiler) moveMember(n *script.Transfer) program.Action {
	if !c.underPath() {
		c.errorf(n.Pos, "of lines say move above first line, or below last line", "a member or an item moves right under an at")
		return nil
	}
	return &program.MoveMembers{Place: c.memberPlace(*n.Dest.Member, c.within[len(c.within)-1].Path().Family)}
}
