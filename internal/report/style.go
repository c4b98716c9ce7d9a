package report

import "frizzel/internal/terminal"

// A Style colours output on a terminal. The zero Style uses no colours. The colours have a medium brightness, so
// they are readable on light and dark backgrounds.
type Style struct {
	On bool
}

// Parameters of the escape sequences for the 256 standard colours and for emphasis.
const (
	red     = "38;5;167"
	green   = "38;5;71"
	blue    = "38;5;67"
	violet  = "38;5;133"
	bold    = "1"
	grey    = "38;5;245"
	reverse = "7"
)

func (s Style) paint(text string, parameters ...string) string {
	if !s.On {
		return text
	}
	return terminal.Paint(text, parameters...)
}

func (s Style) head(t string) string    { return s.paint(t, bold) }
func (s Style) place(t string) string   { return s.paint(t, blue) }
func (s Style) rule(t string) string    { return s.paint(t, violet) }
func (s Style) keep(t string) string    { return t }
func (s Style) remove(t string) string  { return s.paint(t, red) }
func (s Style) removed(t string) string { return s.paint(t, bold, reverse, red) }
func (s Style) add(t string) string     { return s.paint(t, green) }
func (s Style) added(t string) string   { return s.paint(t, bold, reverse, green) }

// Strong returns t in bold.
func (s Style) Strong(t string) string { return s.paint(t, bold) }

// Soft returns t in grey.
func (s Style) Soft(t string) string { return s.paint(t, grey) }

// Key is a key that can be pressed.
func (s Style) Key(t string) string { return s.paint(t, bold, blue) }

// match colours a match of a search.
func (s Style) match(t string) string { return s.paint(t, bold, reverse, blue) }

// Rule names a rule.
func (s Style) Rule(t string) string { return s.rule(t) }

// Wrong says what is wrong.
func (s Style) Wrong(t string) string { return s.remove(t) }

// Selected is the line that a person is on.
func (s Style) Selected(t string) string {
	if !s.On {
		return ">" + t[min(1, len(t)):]
	}
	return s.paint(t, bold, reverse, blue)
}
