package assist

import (
	"encoding/json"
	"regexp"
	"slices"
	"strings"

	"frizzel/core/script"
)

// A rule is a rule of a TextMate grammar.
type rule struct {
	Name          string          `json:"name,omitempty"`
	Match         string          `json:"match,omitempty"`
	Begin         string          `json:"begin,omitempty"`
	End           string          `json:"end,omitempty"`
	Captures      map[string]rule `json:"captures,omitempty"`
	BeginCaptures map[string]rule `json:"beginCaptures,omitempty"`
	Patterns      []rule          `json:"patterns,omitempty"`
	Include       string          `json:"include,omitempty"`
}

// TextMate returns a grammar for editors that colour texts by TextMate grammars, in JSON. Its words are those of the table of
// the language. Its expressions mean the same in Oniguruma and in Go.
func TextMate() ([]byte, error) {
	begins, declares, others := grammarWords()
	inText := []rule{{Include: "#placeholder"}}
	quoted := func(quote, name, before string, captures map[string]rule) rule {
		return rule{Name: name, Begin: before + quote, End: quote + "|$", BeginCaptures: captures, Patterns: inText}
	}
	patterns := []rule{
		{Name: "comment.line.number-sign.frizzel", Match: "#.*$"},
		{Name: "string.unquoted.margin.frizzel", Begin: `^\s*\|`, End: "$", Patterns: inText},
	}
	for _, quote := range []string{"'", `"`, "`"} {
		patterns = append(patterns, quoted(quote, "string.regexp.frizzel", `\b(regex)\s+`, map[string]rule{"1": {Name: "keyword.other.frizzel"}}))
	}
	for _, quote := range []string{"'", `"`, "`"} {
		patterns = append(patterns, quoted(quote, "string.quoted.frizzel", "", nil))
	}
	patterns = append(patterns,
		rule{Match: `\b(rule)\s+([a-z][a-z0-9-]*)`, Captures: map[string]rule{"1": {Name: "storage.type.frizzel"}, "2": {Name: "entity.name.function.frizzel"}}},
		rule{Match: `\b(param|set)\s+([a-z][a-z0-9-]*)`, Captures: map[string]rule{"1": {Name: "storage.type.frizzel"}, "2": {Name: "variable.parameter.frizzel"}}},
		rule{Name: "storage.type.frizzel", Match: oneWord(declares)},
		rule{Name: "keyword.control.frizzel", Match: oneWord(begins)},
		rule{Name: "keyword.other.frizzel", Match: oneWord(others)},
		rule{Name: "constant.numeric.frizzel", Match: `\b[0-9]+\b`},
		rule{Name: "punctuation.section.frizzel", Match: `[{};=]`},
	)
	return json.MarshalIndent(map[string]any{
		"name": "Frizzel", "scopeName": "source.frizzel", "fileTypes": []string{"friz"}, "patterns": patterns,
		"repository": map[string]rule{"placeholder": {Patterns: []rule{
			{Name: "constant.character.escape.frizzel", Match: `\{==`},
			{Name: "variable.other.frizzel", Match: `\{=[^{}]*\}`},
		}}},
	}, "", "  ")
}

// oneWord returns the expression for one of some words, the longest first.
func oneWord(words []string) string {
	return `\b(?:` + strings.Join(words, "|") + `)\b`
}

// grammarWords returns the words that begin statements, those that begin declarations, and the others.
func grammarWords() (begins, declares, others []string) {
	for _, chapter := range script.Reference() {
		for _, use := range chapter.Uses {
			others = append(others, exampleWords(use.Example)...)
			for _, also := range regexp.MustCompile("`[^`]*`").FindAllString(use.Help, -1) { // other words for the same
				others = append(others, literals(strings.Trim(also, "`"))...)
			}
			for i, w := range literals(use.Form) {
				switch {
				case i == 0 && chapter.Name == "Declarations":
					declares = append(declares, w)
				case i == 0 && (chapter.Name == "Statements" || chapter.Name == "Guards and assertions"):
					begins = append(begins, w)
				case chapter.Name != "Placeholders" && chapter.Name != "Filters":
					others = append(others, w)
				}
			}
		}
	}
	others = append(others, "change") // one of what is counted
	others = slices.DeleteFunc(others, func(w string) bool { return slices.Contains(begins, w) || slices.Contains(declares, w) })
	tidy := func(words []string) []string {
		slices.SortFunc(words, func(a, b string) int { return strings.Compare(b, a) }) // longer ones before their beginnings
		return slices.Compact(words)
	}
	return tidy(begins), tidy(declares), tidy(others)
}

// exampleWords returns the words of an example that are not names.
func exampleWords(example string) (words []string) {
	for line := range strings.SplitSeq(example, "\n") {
		c := contentOf(line)
		for _, l := range c.lexemes {
			named := slices.ContainsFunc(c.names, func(n Name) bool { return n.Start == l.Start })
			if l.Kind == script.LexWord && !named {
				words = append(words, l.Text)
			}
		}
	}
	return words
}
