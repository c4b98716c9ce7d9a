package compile

import (
	"errors"
	"fmt"
	"regexp"
	"regexp/syntax"
	"strings"
	"unicode/utf8"

	"frizzel/core/pattern"
	"frizzel/core/script"
)

// atom quotes a value as one literal atom of a regular expression.
func atom(value string) string { return "(?:" + regexp.QuoteMeta(value) + ")" }

// valuesStand reports whether each placeholder of an expression is at a position where its value is an atom.
// Within a character class the value would be a set of characters, and between \Q and \E the quoting would be
// literal text; both are errors. To find out, it parses the expression with a mark for each value.
func (c *compiler) valuesStand(t *script.Text) bool {
	const marks = 0x10f000 // private characters, one for each placeholder
	var expr strings.Builder
	var holes []*script.Placeholder
	for _, part := range t.Parts {
		if part.Hole == nil {
			expr.WriteString(part.Literal)
			continue
		}
		expr.WriteString("(?:" + strings.Repeat(string(rune(marks+len(holes))), 2) + ")")
		holes = append(holes, part.Hole)
	}
	if len(holes) == 0 {
		return true
	}
	tree, err := syntax.Parse(expr.String(), syntax.Perl)
	if err != nil {
		return true // an error is reported once the values are filled in
	}
	stand := map[rune]bool{}
	quoted := map[rune]bool{}
	literalRunes(tree, func(literal []rune) {
		for i, r := range literal {
			stand[r] = true
			if i >= 3 && string(literal[i-3:i]) == "(?:" && i+2 < len(literal) && literal[i+2] == ')' {
				quoted[r] = true
			}
		}
	})
	for i, h := range holes {
		switch r := rune(marks + i); {
		case !stand[r]:
			c.errorf(h.Pos, "write the characters out, or use alternatives: (?:…|…)", "a placeholder cannot stand in a character class")
			return false
		case quoted[r]:
			c.errorf(h.Pos, "leave them out: a value stands for itself anyway", `a placeholder cannot stand between \Q and \E`)
			return false
		}
	}
	return true
}

// literalRunes calls act with the characters of each literal part of an expression.
func literalRunes(re *syntax.Regexp, act func([]rune)) {
	if re.Op == syntax.OpLiteral {
		act(re.Rune)
	}
	for _, sub := range re.Sub {
		literalRunes(sub, act)
	}
}

// badRegex reports an error of the expression's parser, at the position of the part that the error quotes, if it
// is known.
func (c *compiler) badRegex(p *script.Pattern, err error) {
	pos, remedy := p.Text.Pos, ""
	var syntaxError *syntax.Error
	switch {
	case errors.Is(err, pattern.ErrLineBreak):
		remedy = "say across lines"
	case errors.As(err, &syntaxError):
		at := strings.Index(p.Text.Raw, syntaxError.Expr)
		if at >= 0 && !p.Text.Block && syntaxError.Expr != "" {
			pos.Column += 1 + utf8.RuneCountInString(p.Text.Raw[:at])
			pos.Width = utf8.RuneCountInString(syntaxError.Expr)
		}
		remedy = regexRemedy(syntaxError)
		c.errorf(pos, remedy, "%s", regexReason(syntaxError))
		if remedy == asTheyAre {
			c.fix(script.Fix{Title: "say text instead of regex", Pos: p.Pos, Old: "regex", New: "text"})
		}
		return
	}
	c.errorf(pos, remedy, "%v", err)
}

// regexReason returns the message for an expression's error, because the parser's own messages use the terms of
// another language.
func regexReason(err *syntax.Error) string {
	reason := map[syntax.ErrorCode]string{
		syntax.ErrInvalidCharClass:      "there is no character class %s",
		syntax.ErrInvalidCharRange:      "the range %s ends before it begins",
		syntax.ErrInvalidEscape:         "there is no escape %s",
		syntax.ErrInvalidNamedCapture:   "no group is named as in %s",
		syntax.ErrInvalidPerlOp:         "no group begins as %s does",
		syntax.ErrInvalidRepeatOp:       "%s repeats a repetition",
		syntax.ErrInvalidRepeatSize:     "%s repeats too often, or too seldom",
		syntax.ErrMissingBracket:        "a [ is never closed in %s",
		syntax.ErrMissingParen:          "a ( is never closed in %s",
		syntax.ErrMissingRepeatArgument: "nothing stands before %s that could be repeated",
		syntax.ErrTrailingBackslash:     "a backslash at the end takes no character",
		syntax.ErrUnexpectedParen:       "a ) closes nothing in %s",
		syntax.ErrNestingDepth:          "this is nested too deep: %s",
		syntax.ErrLarge:                 "this expression is too large: %s",
	}[err.Code]
	switch {
	case reason == "":
		return fmt.Sprintf("%s: %s", err.Code, err.Expr)
	case !strings.Contains(reason, "%s"):
		return reason
	}
	return fmt.Sprintf(reason, err.Expr)
}

// asTheyAre is the remedy for characters that have a meaning in expressions.
const asTheyAre = "say text instead of regex if the characters are meant as they are"

func regexRemedy(err *syntax.Error) string {
	switch {
	case err.Code == syntax.ErrInvalidPerlOp && (strings.HasPrefix(err.Expr, "(?=") || strings.HasPrefix(err.Expr, "(?!")):
		return "say followed by, or not followed by, after the expression"
	case err.Code == syntax.ErrInvalidNamedCapture && (strings.HasPrefix(err.Expr, "(?<=") || strings.HasPrefix(err.Expr, "(?<!")),
		err.Code == syntax.ErrInvalidPerlOp && strings.HasPrefix(err.Expr, "(?<"):
		return "say preceded by, or not preceded by, after the expression"
	case err.Code == syntax.ErrInvalidEscape && len(err.Expr) == 2 && '1' <= err.Expr[1] && err.Expr[1] <= '9':
		return "an expression cannot refer back to its own groups"
	case err.Code != syntax.ErrNestingDepth && err.Code != syntax.ErrLarge:
		return asTheyAre
	}
	return ""
}
