package assist

import (
	"regexp"
	"slices"
	"sync"

	"frizzel/core/script"
)

// contentOf reads a line.
func contentOf(text string) *content {
	c := &content{lexemes: script.Lexemes(text)}
	for i, l := range c.lexemes {
		switch l.Kind {
		case script.LexString, script.LexMargin:
			c.names = append(c.names, holes(l)...)
			for _, m := range group().FindAllStringSubmatch(l.Text, -1) {
				c.groups = append(c.groups, m[1])
			}
			if l.Kind == script.LexString && c.is(i-1, "use") && c.lexemes[i-1].Begins {
				c.names = append(c.names, Name{ScriptName, l.Text, l.TextStart, l.TextStart + len(l.Text), false})
			}
		case script.LexWord:
			c.named(i, l)
		case script.LexPunctuation:
			switch l.Text {
			case "{":
				c.opens++
			case "}":
				c.opens--
			}
		}
	}
	return c
}

// is reports whether lexeme i is a word.
func (c *content) is(i int, text string) bool {
	return i >= 0 && i < len(c.lexemes) && c.lexemes[i].Kind == script.LexWord && c.lexemes[i].Text == text
}

// named adds the name that comes behind a word, if one does.
func (c *content) named(i int, l script.Lexeme) {
	add := func(i int, kind NameKind, declares bool) {
		if i < len(c.lexemes) && c.lexemes[i].Kind == script.LexWord {
			n := c.lexemes[i]
			c.names = append(c.names, Name{kind, n.Text, n.Start, n.End, declares})
		}
	}
	switch {
	case l.Begins && l.Text == "rule":
		add(i+1, RuleName, true)
	case l.Begins && l.Text == "param":
		add(i+1, ParamName, true)
	case l.Begins && l.Text == "table":
		add(i+1, TableName, true)
	case l.Begins && l.Text == "set":
		add(i+1, ParamName, false)
	case l.Text == "of" && c.lexemes[0].Text == "example":
		add(i+1, RuleName, false)
	case l.Text == "by" && c.is(i-1, "changed"):
		add(i+1, RuleName, false)
	case l.Text == "table" && c.is(i-1, "from"):
		add(i+1, TableName, false)
	}
}

var (
	hole = sync.OnceValue(func() *regexp.Regexp {
		return regexp.MustCompile(`\{=(=|[a-z][a-z0-9-]*)(?: [^{}]*?\bby ([a-z][a-z0-9-]*))?`)
	})
	group = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`\(\?P?<([^>]+)>`) })
)

// holes returns the names in the placeholders of a text. They may be parameters, or groups.
func holes(l script.Lexeme) (all []Name) {
	for _, at := range hole().FindAllStringSubmatchIndex(l.Text, -1) {
		name := l.Text[at[2]:at[3]]
		if name != "=" && !slices.Contains(script.Builtin(), name) {
			all = append(all, Name{ParamName, name, l.TextStart + at[2], l.TextStart + at[3], false})
		}
		if at[4] >= 0 {
			all = append(all, Name{TableName, l.Text[at[4]:at[5]], l.TextStart + at[4], l.TextStart + at[5], false})
		}
	}
	return all
}
