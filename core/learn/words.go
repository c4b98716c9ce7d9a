package learn

import (
	"bytes"
	"cmp"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"sync"
	"unicode"
	"unicode/utf8"

	"frizzel/core/diff"
	"frizzel/core/lines"
	"frizzel/core/program"
)

// tokens are words, and any other character by itself.
var tokens = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`(?s)[\pL\pN_]+|.`) })

// tokenLines returns a text with each token on a line of its own.
func tokenLines(text []byte) []byte {
	var b bytes.Buffer
	for _, t := range tokens().FindAll(text, -1) {
		if len(t) == 1 && t[0] == '\n' {
			t = []byte("\\n")
		}
		b.Write(t)
		b.WriteByte('\n')
	}
	return b.Bytes()
}

// A swap is a word that became another one.
type swap struct{ old, fresh string }

// levels are what makes a word, from what people take for one to more and to less.
var levels = []level{
	{holds: func(r rune) bool { return isWord(r) || r == '-' }},
	{holds: func(r rune) bool { return isWord(r) || r == '-' || r == '.' }},
	{holds: func(r rune) bool { return !unicode.IsSpace(r) && !strings.ContainsRune(`"'=<>(){}[],;`+"`", r) }},
	{holds: isWord},
}

// A level is what makes a word: its characters, or a number with the word before it, such as platform 2.
type level struct {
	holds  func(rune) bool
	phrase bool
}

// numbered returns a number with the word before it, "" for any other word.
func numbered(text []byte, start int, word string) string {
	if word == "" || strings.Trim(word, "0123456789") != "" {
		return ""
	}
	before := numberedWord().FindSubmatch(text[:start])
	if before == nil {
		return ""
	}
	return string(before[1]) + word
}

var numberedWord = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`([\pL]+ )$`) })

func isWord(r rune) bool { return r == '_' || unicode.IsLetter(r) || unicode.IsDigit(r) }

// words proposes what replaces words, several in one pass where they change together.
func (l *learner) words() {
	for _, level := range append([]level{{phrase: true}}, levels...) {
		swaps := l.swaps(level)
		l.inAnyCase(swaps)
		swaps = l.swaps(level)
		var together []swap
		for _, s := range swaps {
			if l.onceBehindKey(s.old) {
				continue
			}
			together = append(together, s)
		}
		l.replace(together)
	}
}

// replace proposes to replace words by themselves, and in one pass.
func (l *learner) replace(swaps []swap) {
	if len(swaps) == 0 {
		return
	}
	for _, kind := range []string{"word", "text"} {
		if l.each(kind, swaps) {
			return
		}
		var fit []swap // those that do no harm by themselves
		for _, s := range swaps {
			if l.fits(kind, s) {
				fit = append(fit, s)
			}
		}
		if l.each(kind, fit) {
			return
		}
		for _, s := range fit {
			l.try(fmt.Sprintf("replace %s %s with %s", kind, quoted(s.old), quoted(s.fresh)), General)
		}
	}
}

// each proposes to replace several words in one pass.
func (l *learner) each(kind string, swaps []swap) bool {
	if len(swaps) < 2 {
		return len(swaps) == 1 && quoted(swaps[0].old) != "" && quoted(swaps[0].fresh) != "" &&
			l.try(fmt.Sprintf("replace %s %s with %s", kind, quoted(swaps[0].old), quoted(swaps[0].fresh)), General)
	}
	var b strings.Builder
	fmt.Fprintf(&b, "replace each %s {\n", kind)
	for _, s := range swaps {
		if quoted(s.old) == "" || quoted(s.fresh) == "" {
			return false
		}
		fmt.Fprintf(&b, "%s with %s\n", quoted(s.old), quoted(s.fresh))
	}
	return l.try(b.String()+"}", General)
}

// fits reports whether a replacement by itself changes only lines that differ.
func (l *learner) fits(kind string, s swap) bool {
	if quoted(s.old) == "" || quoted(s.fresh) == "" || l.budget == 0 {
		return false
	}
	l.budget--
	p := l.compiled(Statement{Text: fmt.Sprintf("replace %s %s with %s", kind, quoted(s.old), quoted(s.fresh))})
	if p == nil {
		return false
	}
	for _, st := range l.states {
		edits, ok := run(p, st.Name, st.now)
		if !ok || !st.harmless(edits) {
			return false
		}
	}
	return true
}

// inAnyCase proposes words that changed in several cases alike.
func (l *learner) inAnyCase(swaps []swap) {
	lower := map[string]string{}
	count := map[string]int{}
	for _, s := range swaps {
		old, fresh := strings.ToLower(s.old), strings.ToLower(s.fresh)
		if string(program.KeepCase([]byte(s.old), []byte(fresh))) != s.fresh {
			continue
		}
		lower[old] = fresh
		count[old]++
	}
	for old, n := range count {
		if n > 1 && quoted(old) != "" && quoted(lower[old]) != "" {
			l.try(fmt.Sprintf("replace word %s with %s keeping case", quoted(old), quoted(lower[old])), General)
		}
	}
}

// swaps returns the words that became others, the most frequent first. One that became several is none.
func (l *learner) swaps(level level) []swap {
	became := map[string]string{}
	count := map[string]int{}
	several := map[string]bool{}
	for _, s := range l.states {
		for _, h := range s.hunks {
			for _, w := range swapsIn(s.now[h.start:h.end], h.fresh, level) {
				if was, ok := became[w.old]; ok && was != w.fresh {
					several[w.old] = true
				}
				became[w.old] = w.fresh
				count[w.old]++
			}
		}
	}
	var all []swap
	for old, fresh := range became {
		if !several[old] {
			all = append(all, swap{old, fresh})
		}
	}
	slices.SortFunc(all, func(a, b swap) int {
		return cmp.Or(count[b.old]-count[a.old], strings.Compare(a.old, b.old))
	})
	return all
}

// swapsIn returns the words that differ between lines.
func swapsIn(old, fresh []byte, level level) (all []swap) {
	if lines.Count(old) != lines.Count(fresh) {
		return nil
	}
	from, to := tokens().FindAllIndex(old, -1), tokens().FindAllIndex(fresh, -1)
	row, shift := 0, 0 // of tokens; the fresh ones are shift further on
	oldRows := tokenLines(old)
	at := 0
	for _, e := range diff.Compare(oldRows, tokenLines(fresh)) {
		row += bytes.Count(oldRows[at:e.Start], []byte("\n"))
		gone := bytes.Count(oldRows[e.Start:e.End], []byte("\n"))
		come := bytes.Count(e.New, []byte("\n"))
		if gone > 0 && come > 0 && row+gone <= len(from) && row+shift+come <= len(to) {
			a := widen(string(old), from[row][0], from[row+gone-1][1], level)
			b := widen(string(fresh), to[row+shift][0], to[row+shift+come-1][1], level)
			if level.phrase {
				a, b = numbered(old, from[row][0], a), numbered(fresh, to[row+shift][0], b)
			}
			if a != "" && b != "" && a != b && !strings.ContainsAny(a+b, "\r\n") {
				all = append(all, swap{a, b})
			}
		}
		row, at = row+gone, e.End
		shift += come - gone
	}
	return all
}

// widen returns the word around a range.
func widen(text string, start, end int, level level) string {
	if level.phrase {
		return text[start:end]
	}
	for start > 0 {
		r, n := utf8.DecodeLastRuneInString(text[:start])
		if !level.holds(r) && !between(text, start-n, r) {
			break
		}
		start -= n
	}
	for end < len(text) {
		r, n := utf8.DecodeRuneInString(text[end:])
		if !level.holds(r) && !between(text, end, r) {
			break
		}
		end += n
	}
	return strings.Trim(text[start:end], "-.:/")
}

// between reports whether a dot stands between digits, as in addresses and versions.
func between(text string, at int, r rune) bool {
	return r == '.' && at > 0 && at+1 < len(text) && '0' <= text[at-1] && text[at-1] <= '9' && '0' <= text[at+1] && text[at+1] <= '9'
}

// onceBehindKey reports whether a word is there once in all texts, as a value behind a key.
func (l *learner) onceBehindKey(word string) bool {
	found := 0
	for _, s := range l.states {
		n := bytes.Count(s.now, []byte(word))
		if found += n; found > 1 {
			return false
		}
		if n == 1 {
			at := bytes.Index(s.now, []byte(word))
			if keyOf(string(s.now[lines.Start(s.now, 0, at):at])) == "" {
				return false
			}
		}
	}
	return found == 1
}

// harmed reports whether words that changed stand, joined with others, where they did not change.
func (l *learner) harmed() bool {
	for _, level := range levels[:2] {
		for _, s := range l.swaps(level) {
			if !l.onceBehindKey(s.old) {
				return true
			}
		}
	}
	return false
}
