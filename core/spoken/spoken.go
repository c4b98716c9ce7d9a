// Package spoken says in plain words what a regular expression matches.
//
// [Regex] walks the tree that the parser of the expressions makes, so it tells what the program matches and not how
// the expression looks.
package spoken

import (
	"fmt"
	"regexp/syntax"
	"slices"
	"strings"
	"sync"
	"unicode"
)

// Regex returns what an expression matches, as a list of its parts in order, joined by "then". The error is that of an
// expression that does not parse.
func Regex(expression string) (string, error) {
	tree, err := syntax.Parse(expression, syntax.Perl)
	if err != nil {
		return "", err
	}
	return say(tree, true), nil
}

// say returns the words for a part of an expression. list says that several parts may stand without brackets.
func say(re *syntax.Regexp, list bool) string {
	switch re.Op {
	case syntax.OpLiteral:
		if re.Flags&syntax.FoldCase != 0 {
			return quoted(strings.ToLower(string(re.Rune))) + " in any case"
		}
		return quoted(string(re.Rune))
	case syntax.OpCharClass:
		return class(re)
	case syntax.OpAnyChar:
		return "any character, also a line break"
	case syntax.OpAnyCharNotNL:
		return "any character"
	case syntax.OpCapture:
		name := fmt.Sprintf("group %d", re.Cap)
		if re.Name != "" {
			name += " (" + re.Name + ")"
		}
		return name + ": " + say(re.Sub[0], false)
	case syntax.OpConcat:
		parts := make([]string, len(re.Sub))
		for i, sub := range re.Sub {
			parts[i] = say(sub, false)
		}
		return bracketed(strings.Join(parts, ", then "), list)
	case syntax.OpAlternate:
		parts := make([]string, len(re.Sub))
		for i, sub := range re.Sub {
			parts[i] = say(sub, false)
		}
		return bracketed(strings.Join(parts, ", or "), list)
	case syntax.OpStar, syntax.OpPlus, syntax.OpQuest, syntax.OpRepeat:
		return repeated(re)
	}
	return places[re.Op]
}

// places are the words for parts that match no character.
var places = map[syntax.Op]string{
	syntax.OpNoMatch: "nothing at all", syntax.OpEmptyMatch: "the empty text",
	syntax.OpBeginLine: "the start of a line", syntax.OpEndLine: "the end of a line",
	syntax.OpBeginText: "the start of the line", syntax.OpEndText: "the end of the line",
	syntax.OpWordBoundary: "the edge of a word", syntax.OpNoWordBoundary: "no edge of a word",
}

func bracketed(text string, bare bool) string {
	if bare {
		return text
	}
	return "(" + text + ")"
}

func quoted(text string) string {
	if strings.TrimSpace(text) == "" {
		return fmt.Sprintf("%q", text)
	}
	return "“" + strings.NewReplacer("\t", "⇥", "\n", "↵").Replace(text) + "”"
}

// repeated returns the words for a repetition.
func repeated(re *syntax.Regexp) string {
	from, to := re.Min, re.Max
	switch re.Op {
	case syntax.OpStar:
		from, to = 0, -1
	case syntax.OpPlus:
		from, to = 1, -1
	case syntax.OpQuest:
		from, to = 0, 1
	}
	what := say(re.Sub[0], false)
	times := ""
	switch {
	case from == 0 && to == 1:
		return "perhaps " + what
	case from == 0 && to < 0:
		times = "any number of times, or not at all"
	case from == 1 && to < 0:
		times = "once or more"
	case to < 0:
		times = fmt.Sprintf("%d times or more", from)
	case from == to:
		times = fmt.Sprintf("%d times", from)
	default:
		times = fmt.Sprintf("%d to %d times", from, to)
	}
	if re.Flags&syntax.NonGreedy != 0 {
		times += ", as few as possible"
	}
	return what + " " + times
}

// classes are the words for frequent classes, by what the parser makes of them.
var classes = sync.OnceValue(func() map[string]string {
	all := map[string]string{}
	for source, words := range map[string]string{
		`\d`: "a digit", `\D`: "no digit", `\w`: "a letter, a digit or _", `\W`: "no letter, no digit and no _",
		`\s`: "white space", `\S`: "no white space", `[a-z]`: "a small letter", `[A-Z]`: "a capital letter", `[A-Za-z]`: "a letter",
		`[A-Za-z0-9]`: "a letter or a digit", `[a-z0-9]`: "a small letter or a digit", `\pL`: "a letter of any language", `[0-9A-Fa-f]`: "a hexadecimal digit",
	} {
		re, err := syntax.Parse(source, syntax.Perl)
		if err == nil {
			all[string(re.Rune)] = words
		}
	}
	return all
})

// maxRanges is the number of ranges of a class that are listed.
const maxRanges = 12

// class returns the words for a class of characters.
func class(re *syntax.Regexp) string {
	if words, ok := classes()[string(re.Rune)]; ok {
		return words
	}
	runes, begin := re.Rune, "one of "
	if len(runes) > 0 && runes[0] == 0 && runes[len(runes)-1] == unicode.MaxRune { // all but some
		begin = "any character but "
		var others []rune
		for i := 1; i+1 < len(runes); i += 2 {
			others = append(others, runes[i]+1, runes[i+1]-1)
		}
		if runes = others; len(runes) == 0 {
			return "any character"
		}
		if words, ok := classes()[string(runes)]; ok {
			return "any character but " + words
		}
	}
	var parts []string
	if rest, ok := without(runes, white); ok {
		runes, parts = rest, []string{"white space"}
	}
	for pair := range slices.Chunk(runes, 2) {
		if len(parts) == maxRanges {
			return begin + strings.Join(parts, ", ") + " and others"
		}
		switch lo, hi := pair[0], pair[1]; {
		case lo == hi:
			parts = append(parts, one(lo))
		case hi == lo+1:
			parts = append(parts, one(lo), one(hi))
		default:
			parts = append(parts, one(lo)+" to "+one(hi))
		}
	}
	return begin + strings.Join(parts, ", ")
}

// white is the ranges of white space.
var white = []rune{'\t', '\n', '\f', '\r', ' ', ' '}

// without returns ranges without some of them. It reports false if not all of those are there.
func without(ranges, some []rune) (rest []rune, ok bool) {
	found := 0
	for pair := range slices.Chunk(ranges, 2) {
		if found < len(some) && slices.Equal(pair, some[found:found+2]) {
			found += 2
			continue
		}
		rest = append(rest, pair...)
	}
	return rest, found == len(some)
}

// one returns a character as it can be seen.
func one(r rune) string {
	switch {
	case r == ' ':
		return "a space"
	case r == '\t':
		return "a tab"
	case r == '\n':
		return "a line break"
	case unicode.IsLetter(r) || unicode.IsDigit(r):
		return string(r)
	case unicode.IsPrint(r):
		return "“" + string(r) + "”"
	}
	return fmt.Sprintf("U+%04X", r)
}
