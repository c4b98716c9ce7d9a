package compile

import (
	"errors"
	"regexp"
	"regexp/syntax"
	"strings"
	"unicode/utf8"

	"frizzel/core/pattern"
	"frizzel/core/script"
)

// atom quotes a value so that a regular expression takes it as one literal.
func atom(value string) string { return "(?:" + regexp.QuoteMeta(value) + ")" }

// notInClass reports whether no placeholder stands within the brackets of a
// character class, where a value would be taken for single characters; one that
// does is an error.
func (c *compiler) notInClass(t *script.Text) bool {
	inClass, escaped := false, false
	for _, part := range t.Parts {
		if part.Hole != nil {
			if inClass {
				c.errorf(part.Hole.Pos, "write the characters out, or use alternatives: (?:…|…)", "a placeholder cannot stand in a character class")
				return false
			}
			continue
		}
		for i, r := range part.Literal {
			switch {
			case escaped:
				escaped = false
			case r == '\\':
				escaped = true
			case r == '[' && !inClass:
				inClass = true
			case r == ']' && inClass && !beginsClass(part.Literal[:i]):
				inClass = false
			}
		}
	}
	return true
}

// beginsClass reports whether a ] after s is a character of the class just opened.
func beginsClass(s string) bool {
	return strings.HasSuffix(s, "[") || strings.HasSuffix(s, "[^")
}

// badRegex reports what the expression's compiler found, at the place of what it
// named where that can be told.
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
		c.errorf(pos, regexRemedy(syntaxError), "%s: `%s`", syntaxError.Code, syntaxError.Expr)
		return
	}
	c.errorf(pos, remedy, "%v", err)
}

func regexRemedy(err *syntax.Error) string {
	switch {
	case err.Code == syntax.ErrInvalidPerlOp && (strings.HasPrefix(err.Expr, "(?=") || strings.HasPrefix(err.Expr, "(?!")):
		return "say followed by, or not followed by, after the expression"
	case err.Code == syntax.ErrInvalidNamedCapture && (strings.HasPrefix(err.Expr, "(?<=") || strings.HasPrefix(err.Expr, "(?<!")),
		err.Code == syntax.ErrInvalidPerlOp && strings.HasPrefix(err.Expr, "(?<"):
		return "say preceded by, or not preceded by, after the expression"
	case err.Code == syntax.ErrInvalidEscape && len(err.Expr) == 2 && '1' <= err.Expr[1] && err.Expr[1] <= '9':
		return "an expression cannot refer back to its own groups"
	case err.Code == syntax.ErrMissingBracket, err.Code == syntax.ErrMissingParen, err.Code == syntax.ErrUnexpectedParen,
		err.Code == syntax.ErrMissingRepeatArgument:
		return "say text instead of regex where the characters are meant as they stand"
	}
	return ""
}
