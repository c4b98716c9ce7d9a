package script

import (
	"regexp"
	"strings"
	"sync"
)

// A natural form is how a person may write a statement before they know the language, with the form that it has.
//
// In a form, <P> is a pattern, perhaps without its kind, <Q> a pattern in quotes, <S> and <V> strings, perhaps without
// quotes, <N> a number, <W> a name and <…> the rest of the line. In what it becomes, {1} is the first of these, {1bare}
// the same without quotes, and {1slug} as the name of a rule.
type natural struct{ form, becomes string }

var naturals = []natural{
	{`(?:if|when)(?: the)?(?: file)? (?:has|contains) <P>(?: then|,|:)? *<…>`, `rule here { when file has {1}; {2} }`},
	{`(?:unless|if not)(?: the)?(?: file)? (?:has|contains) <P>(?: then|,|:)? *<…>`, `rule here { when file lacks {1}; {2} }`},
	{`(?:if|when)(?: the)?(?: file)? lacks <P>(?: then|,|:)? *<…>`, `rule here { when file lacks {1}; {2} }`},
	{`(?:replace|change|substitute|exchange|turn)(?: all| every| each| any)?(?: occurrences of)? <P> (?:with|by|to|into|->|=>|for) <S> *<…>`, `replace {1} with {2} {3}`},
	{`(?:delete|remove|drop|erase)(?: all| every| each)? lines? (?:with|containing|that contains?|that has|that have|having|matching|like) <P>`, `on lines with {1} delete`},
	{`(?:delete|remove|drop|erase) line <N>`, `on line {1} delete`},
	{`(?:delete|remove|drop|erase) lines <N> ?(?:to|-|–|,) ?<N>`, `on lines {1} to {2} delete`},
	{`(?:dedupe|deduplicate|unique|(?:remove|delete|drop) (?:duplicates?|repeated))(?: lines)?`, `on lines 1 to last drop repeated lines`},
	{`(?:delete|drop|erase)(?: all)? <Q>`, `remove {1}`},
	{`(?:delete|remove) section <S>`, `in section {1} delete`},
	{`(?:delete|remove) (block|paragraph)(?: with)? <P>`, `in {1} with {2} delete`},
	{`(?:keep|retain)(?: only)? lines (?:with|containing|matching) <P>`, `on lines without {1} delete`},
	{`on (?:line|lines|each line|every line|all lines)(?: that)? (?:with|containing|contains|contain|having|matching|like) <P> <…>`, `on lines with {1} {2}`},
	{`on (?:each|every|all|any) lines? <…>`, `on lines 1 to last {1}`},
	{`for (?:each|every|all) lines? *:? *<…>`, `on lines 1 to last {1}`},
	{`on (first|last) <Q> <…>`, `on {1} line with {2} {3}`},
	{`(?:from|on from) <P> to <P> <…>`, `on lines from {1} to {2} {3}`},
	{`(?:between|on between) <P> and <P> <…>`, `on lines between {1} and {2} {3}`},
	{`in (block|paragraph) <Q> <…>`, `in {1} with {2} {3}`},
	{`in section <S> <…>`, `in section {1} {2}`},
	{`in \[([^\]]*)\] <…>`, `in section "{1}" {2}`},
	{`(?:not|except) (?:on|in)? ?((?:line|lines|section|block|paragraph) \S+) <…>`, `outside {1} {2}`},
	{`in files? <S>:? <…>`, `rule here { files {1}; {2} }`},
	{`(?:append|add)(?: line| text)? <S> (?:to|at)(?: the)? (?:end|bottom)`, `insert at end {1} unless present`},
	{`(?:append|add|insert|put)(?: line| text)? <S> (?:after|below|behind|under)(?: each| the)?(?: lines? (?:with|containing))? <P>`, `on lines with {2} insert below {1} unless present`},
	{`(?:add|insert|put)(?: line| text)? <S> (?:before|above)(?: each| the)?(?: lines? (?:with|containing))? <P>`, `on lines with {2} insert above {1} unless present`},
	{`insert (above|below) unless present *<…>`, `insert {1} "the lines" unless present`},
	{`insert (?:after|below) (?:lines? with )?<P>,? <S>`, `on lines with {1} insert below {2} unless present`},
	{`insert (?:before|above) (?:lines? with )?<P>,? <S>`, `on lines with {1} insert above {2} unless present`},
	{`(?:after|below) <P>,? (?:insert|append|add) <S>`, `on lines with {1} insert below {2} unless present`},
	{`(?:before|above) <P>,? (?:insert|add) <S>`, `on lines with {1} insert above {2} unless present`},
	{`(?:append|add|insert)(?: line| text)? <S>`, `insert at end {1} unless present`},
	{`prepend(?: line| text)? <S>`, `insert at top {1} unless present`},
	{`swap <S>(?: and| with|,)? <S>`, `replace each word { {1} with {2}; {2} with {1} }`},
	{`set <V> ?(?:=|to|:)? ?<V>`, `settle regex '^\s*{1}\s*=' as "{1} = {2}"`},
	{`(?:uppercase|upper|capitalise|capitalize) <P>`, `replace {1} with "{=0 upper}"`},
	{`(?:lowercase|lower) <P>`, `replace {1} with "{=0 lower}"`},
	{`comment(?: out)?`, `comment out with "#"`},
	{`comment(?: out)?(?: with)? <S>`, `comment out with {1}`},
	{`uncomment`, `uncomment "#"`},
	{`(?:trim|strip)(?: trailing)?(?: white ?space| blanks| spaces)?`, `trim line ends`},
	{`squeeze`, `squeeze blank lines`},
	{`sort`, `on lines 1 to last sort lines`},
	{`rename <S> (?:to|as|into) <S>`, `at '$.{1bare}' rename to {2}`},
	{`(?:include|import|source|load|require) (["'].*\.friz["'])`, `use {1}`},
	{`(?:let|var|define|const|param) <W> ?(?:=|default|:=) ?<S>`, `param {1} = {2}`},
	{`(?:forbid|disallow)(?: file has)? <P>`, `forbid {1}`},
	{`(?:ensure|assert|require)(?: that)?(?: the)?(?: file (?:has|contains))? <P>`, `require {1}`},
	{`expect ((?:at (?:least|most) )?\d+ (?:changes?|match(?:es)?)(?: per file)?)`, `rule here { expect {1}; replace word "old" with "new" }`},
	{`(not )?files ([^"'\x60\s]+)`, `{1}files "{2}"`},
	{`rule (["'])([^"']*)["'] *<…>`, `rule {2slug} {3}`},
	{`(?:ignoring|ignore) case replace <P> with <S>`, `replace {1} with {2} ignoring case`},
	{`(?:use )?(?:line endings? )(?:to )?(lf|crlf)`, `use line endings {1}`},
	{`convert to (lf|crlf)`, `use line endings {1}`},
	{`(move|copy) lines? (?:with|containing) <P> (?:to(?: the)? )?(?:end|bottom)`, `on lines with {2} {1} below last line`},
	{`(move|copy) lines? (?:with|containing) <P> (?:to(?: the)? )?(?:top|start|beginning)`, `on lines with {2} {1} above first line`},
}

const aString = `"[^"]*"|'[^']*'|` + "`[^`]*`"

// operands are the expressions of what stands between angle brackets in natural forms.
var operands = strings.NewReplacer(
	"<P>", `((?:(?:text|word|regex) +)?(?:`+aString+`|[\w.-]+))`,
	"<Q>", `((?:(?:text|word|regex) +)?(?:`+aString+`))`,
	"<S>", `(`+aString+`|\{=[^}]*\}|\$?[\w./-]+)`,
	"<V>", `(`+aString+`|[\w./:-]+)`,
	"<N>", `(\d+)`, "<W>", `([a-z][a-z0-9-]*)`, "<…>", `(.*)`,
)

type compiledNatural struct {
	form    *regexp.Regexp
	kinds   []string // of each operand
	becomes string
}

var compiledNaturals = sync.OnceValue(func() (all []compiledNatural) {
	kinds := regexp.MustCompile(`<[PQSVNW…]>|\((?:[^?]|$)`)
	for _, n := range naturals {
		all = append(all, compiledNatural{regexp.MustCompile(`^` + operands.Replace(n.form) + `$`), kinds.FindAllString(n.form, -1), n.becomes})
	}
	return all
})

// advice returns the form in which a statement is written that a person wrote in a form of their own, or "".
func advice(line string) string {
	line = strings.TrimSpace(line)
	for _, n := range compiledNaturals() {
		m := n.form.FindStringSubmatch(line)
		if m == nil {
			continue
		}
		out := n.becomes
		for i, said := range m[1:] {
			place := "{" + string(rune('1'+i))
			switch n.kinds[i] {
			case "<P>", "<Q>":
				said = withKind(said)
			case "<S>":
				said = withQuotes(said)
			case "<V>":
				said = bare(said)
			case "<…>":
				var known bool
				if said, known = restOf(said, strings.HasPrefix(out, "replace")); !known {
					return ""
				}
				if strings.HasPrefix(said, "@") { // an address that goes to the front
					out, said = said[1:]+" "+out, ""
				}
			}
			out = strings.NewReplacer(place+"}", said, place+"bare}", bare(said), place+"slug}", slug(said)).Replace(out)
		}
		if out = strings.TrimSpace(out); out != line && isRight(out) {
			return out
		}
	}
	return ""
}

// isRight reports whether a line, whose brace the following lines may close, is a right statement.
func isRight(line string) bool {
	if strings.HasSuffix(line, "{") {
		line += "}"
	}
	tokens, problems := lex(&Source{Text: line})
	p := &parser{source: &Source{Text: line}, tokens: tokens, advising: true}
	p.nodes(atTop)
	return len(problems)+len(p.problems) == 0
}

// withKind returns a pattern with its kind, text if it has none.
func withKind(pattern string) string {
	for _, kind := range patternKinds {
		if rest, ok := strings.CutPrefix(pattern, kind+" "); ok {
			return kind + " " + withQuotes(strings.TrimSpace(rest))
		}
	}
	return "text " + withQuotes(pattern)
}

func withQuotes(s string) string {
	if s != "" && strings.IndexByte("\"'`", s[0]) >= 0 {
		return s
	}
	if name, ok := strings.CutPrefix(s, "$"); ok {
		s = "{=" + name + "}"
	}
	return `"` + s + `"`
}

func bare(s string) string { return strings.Trim(s, "\"'`") }

// slug returns a rule's name for a title.
func slug(s string) string {
	s = regexp.MustCompile(`[^a-z0-9]+`).ReplaceAllString(strings.ToLower(s), "-")
	return strings.Trim(s, "-0123456789")
}

// restOf returns what stands behind a natural form: a statement, or, behind a replace, its options, or, behind an @, the
// address that goes before it. It reports false for a rest that it does not know.
func restOf(s string, options bool) (string, bool) {
	s = strings.TrimSpace(s)
	if strings.HasPrefix(s, "on ") || strings.HasPrefix(s, "in ") && options {
		return "@" + s, options
	}
	switch {
	case !options:
		if s == "" {
			s = `replace word "old" with "new"`
		}
		if better := advice(s); better != "" && !strings.HasPrefix(better, "remove") {
			s = better
		}
		return s, true
	case s == "":
		return "", true
	}
	switch strings.ToLower(s) {
	case "globally", "everywhere", "all", "each", "always":
		return "", true
	case "once", "first only", "only first", "only once":
		return "first in file", true
	case "ignore case", "case insensitive", "case-insensitive", "insensitive", "any case", "ignoring the case":
		return "ignoring case", true
	case "keep case", "preserve case", "preserving case":
		return "keeping case", true
	}
	return "", false
}
