package assist

import (
	"fmt"
	"slices"
	"strings"
	"sync"
	"unicode"

	"frizzel/core/script"
	"frizzel/core/spoken"
)

// A Meaning is what something in a script means, in paragraphs; Code is an example or a declaration.
type Meaning struct {
	Title, Text, Code string
	Start, End        int // what it is about
}

// Hover returns the meaning of what is at an offset. It reports false if there is nothing to say.
func (d *Document) Hover(offset int, load Loader) (m Meaning, ok bool) {
	c, i := d.at(offset)
	if i < 0 {
		return m, false
	}
	if n, named := d.NameAt(offset); named {
		if m, ok = d.nameMeaning(n, load); ok {
			return m, true
		}
	}
	start := d.starts[d.lineOf(offset)]
	switch l := c.lexemes[i]; l.Kind {
	case script.LexString, script.LexMargin:
		if m, ok = d.holeMeaning(l, offset-start); !ok && l.Kind == script.LexString && c.is(i-1, "regex") {
			m, ok = regexMeaning(l)
		}
	case script.LexWord:
		m, ok = wordMeaning(c.lexemes, i)
	}
	m.Start, m.End = m.Start+start, m.End+start
	return m, ok
}

// nameMeaning tells where a name is declared, and a parameter's value.
func (d *Document) nameMeaning(n Name, load Loader) (Meaning, bool) {
	at, of, ok := d.Definition(n, load)
	if !ok || n.Kind == ScriptName {
		return Meaning{}, false
	}
	m := Meaning{Code: strings.TrimSpace(of.lineAt(at.Start)), Start: n.Start, End: n.End}
	kind := map[NameKind]string{RuleName: "rule", ParamName: "parameter", TableName: "table"}[n.Kind]
	m.Title = kind + " " + n.Text
	if n.Kind == ParamName {
		m.Text = valueOf(of, at)
	}
	if of != d {
		m.Text = strings.TrimSpace(m.Text + "\n\nIt is declared in " + of.Name + ".")
	}
	return m, true
}

// valueOf says what value a parameter has that is declared at a place.
func valueOf(d *Document, at Name) string {
	s, _ := script.Parse(d.Name, d.declaration(at.Start))
	for _, item := range s.Items {
		p, ok := item.(*script.Param)
		if !ok {
			continue
		}
		var parts []string
		if p.Default != nil {
			value, _ := p.Default.Plain()
			parts = append(parts, fmt.Sprintf("Its value is %q, unless --param %s=VALUE gives another one.", value, p.Name))
		} else {
			parts = append(parts, "It has no value of its own: --param "+p.Name+"=VALUE gives it one.")
		}
		if p.Env != nil {
			name, _ := p.Env.Plain()
			parts = append(parts, "The environment variable "+name+" gives it one, too.")
		}
		return strings.Join(parts, " ")
	}
	return ""
}

// declaration returns the lines of the declaration that an offset is in.
func (d *Document) declaration(offset int) string {
	first := d.lineOf(offset)
	last := first + 1
	for ; last < len(d.lines); last++ {
		c := d.lines[last].read()
		if len(c.lexemes) > 0 && c.lexemes[0].Kind == script.LexWord && !slices.Contains([]string{"from", "matching", "about"}, c.lexemes[0].Text) {
			break
		}
	}
	end := len(d.Text)
	if last < len(d.lines) {
		end = d.starts[last]
	}
	return d.Text[d.starts[first]:end]
}

// holeMeaning explains the placeholder or the filter at a byte of a line, in a text.
func (d *Document) holeMeaning(l script.Lexeme, at int) (Meaning, bool) {
	at -= l.TextStart
	if at < 0 || at > len(l.Text) {
		return Meaning{}, false
	}
	open := strings.LastIndex(l.Text[:min(at+2, len(l.Text))], "{=")
	end := -1
	if open >= 0 {
		end = strings.IndexByte(l.Text[open:], '}')
	}
	if end < 0 || open+end < at {
		return Meaning{}, false
	}
	m := Meaning{Start: l.TextStart + open, End: l.TextStart + open + end + 1}
	inside := l.Text[open+2 : open+end]
	name, filters, _ := strings.Cut(inside, " ")
	for _, use := range script.Placeholders() {
		if use.Name == name {
			m.Title, m.Text, m.Code = use.Form, use.Help, use.Example
		}
	}
	if m.Title == "" && name != "" && strings.Trim(name, "0123456789") == "" {
		m.Title, m.Text = "{="+name+"}", "what group "+name+" of the expression matched"
		if name == "0" {
			m.Text = "the whole match"
		}
	}
	if m.Title == "" && d.hasGroup(name) {
		m.Title, m.Text = "{="+name+"}", "what the group "+name+" of the expression matched"
	}
	for _, use := range script.Filters() {
		if strings.Contains(" "+filters+" ", " "+use.Name+" ") {
			m.Text += "\n\n" + use.Form + ": " + use.Help
		}
	}
	return m, m.Title != "" || m.Text != ""
}

func regexMeaning(l script.Lexeme) (Meaning, bool) {
	said, err := spoken.Regex(l.Text)
	if err != nil {
		return Meaning{}, false
	}
	return Meaning{Title: "regex", Text: upperFirst(said) + ".", Start: l.Start, End: l.End}, true
}

func upperFirst(s string) string {
	for i, r := range s {
		return string(unicode.ToUpper(r)) + s[i+len(string(r)):]
	}
	return s
}

// wordMeaning explains a word by the form of the language that fits the words around it best.
func wordMeaning(all []script.Lexeme, i int) (Meaning, bool) {
	from, to := i, i+1
	for from > 0 && !all[from].Begins {
		from--
	}
	for to < len(all) && !all[to].Begins {
		to++
	}
	var around []string
	for _, l := range all[from:to] {
		if l.Kind == script.LexWord {
			around = append(around, l.Text)
		}
	}
	use, ok := bestUse(all[i].Text, around)
	if !ok {
		return Meaning{}, false
	}
	return Meaning{Title: use.Form, Text: upperFirst(use.Help) + ".", Code: use.Example, Start: all[i].Start, End: all[i].End}, true
}

// bestUse returns the form with a word of which most words are among others, and fewest are not.
func bestUse(word string, around []string) (best script.Use, found bool) {
	most := 0
	for _, form := range formsOf()[word] {
		score := 1
		if form.words[0] == word {
			score += 2
			if strings.Contains(form.Form, " … ") { // an option of it
				score -= 3
			}
		}
		for _, w := range form.words {
			if slices.Contains(around, w) {
				score++
			} else {
				score -= 2
			}
		}
		if !found || score > most {
			best, most, found = form.Use, score, true
		}
	}
	return best, found
}

// A form is a form of the language with the words of it that stand for themselves.
type form struct {
	script.Use
	words []string
}

// formsOf returns the forms by each of their words.
var formsOf = sync.OnceValue(func() map[string][]form {
	all := map[string][]form{}
	for _, chapter := range script.Reference() {
		for _, use := range chapter.Uses {
			f := form{use, literals(use.Form)}
			for i, w := range f.words {
				if !slices.Contains(f.words[:i], w) {
					all[w] = append(all[w], f)
				}
			}
		}
	}
	return all
})

// literals returns the words of a form that stand for themselves.
func literals(form string) (words []string) {
	for w := range strings.FieldsSeq(form) {
		if w = strings.Trim(w, `"'…`); w != "" && strings.Trim(w, "abcdefghijklmnopqrstuvwxyz-") == "" {
			words = append(words, w)
		}
	}
	return words
}

// helpOf returns the help of a word that may come behind lexemes.
func helpOf(before []script.Lexeme, word string) string {
	around := []string{word}
	for i := len(before) - 1; i >= 0 && i >= len(before)-8; i-- {
		if before[i].Kind == script.LexWord {
			around = append(around, before[i].Text)
		}
		if before[i].Begins {
			break
		}
	}
	use, ok := bestUse(word, around)
	if !ok {
		return ""
	}
	return use.Form + ": " + use.Help
}
