package report

import "github.com/fatih/color"

// Style colours what is shown on a terminal. The zero Style colours nothing. The
// colours are of middling brightness, to be read on light and dark backgrounds.
type Style struct {
	On bool
}

// Of the 256 colours that terminals share.
const (
	red    = 167
	green  = 71
	blue   = 67
	violet = 133
)

// paint colours text; code 0 leaves the colour alone.
func (s Style) paint(text string, code color.Attribute, more ...color.Attribute) string {
	if !s.On || text == "" {
		return text
	}
	if code != 0 {
		more = append(more, 38, 5, code)
	}
	c := color.New(more...)
	c.EnableColor()
	return c.Sprint(text)
}

func (s Style) head(t string) string    { return s.paint(t, 0, color.Bold) }
func (s Style) place(t string) string   { return s.paint(t, blue) }
func (s Style) rule(t string) string    { return s.paint(t, violet) }
func (s Style) keep(t string) string    { return t }
func (s Style) remove(t string) string  { return s.paint(t, red) }
func (s Style) removed(t string) string { return s.paint(t, red, color.Bold, color.ReverseVideo) }
func (s Style) add(t string) string     { return s.paint(t, green) }
func (s Style) added(t string) string   { return s.paint(t, green, color.Bold, color.ReverseVideo) }

// Strong stands out.
func (s Style) Strong(t string) string { return s.paint(t, 0, color.Bold) }

// Soft stands back.
func (s Style) Soft(t string) string { return s.paint(t, 0, color.Faint) }

// Key is a key that can be pressed.
func (s Style) Key(t string) string { return s.paint(t, blue, color.Bold) }

// match is what was looked for.
func (s Style) match(t string) string { return s.paint(t, blue, color.Bold, color.ReverseVideo) }

// Rule names a rule.
func (s Style) Rule(t string) string { return s.rule(t) }

// Selected is the line that a person is on.
func (s Style) Selected(t string) string {
	if !s.On {
		return ">" + t[min(1, len(t)):]
	}
	return s.paint(t, blue, color.Bold, color.ReverseVideo)
}
