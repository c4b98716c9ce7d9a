package report

import "github.com/fatih/color"

// Style colours what is shown on a terminal. The zero Style colours nothing.
type Style struct {
	On bool
}

func (s Style) paint(text string, attributes ...color.Attribute) string {
	if !s.On || text == "" {
		return text
	}
	c := color.New(attributes...)
	c.EnableColor()
	return c.Sprint(text)
}

func (s Style) head(t string) string    { return s.paint(t, color.Bold) }
func (s Style) place(t string) string   { return s.paint(t, color.FgBlue) }
func (s Style) rule(t string) string    { return s.paint(t, color.FgMagenta) }
func (s Style) note(t string) string    { return s.paint(t, color.Faint) }
func (s Style) keep(t string) string    { return t }
func (s Style) remove(t string) string  { return s.paint(t, color.FgRed) }
func (s Style) removed(t string) string { return s.paint(t, color.FgRed, color.ReverseVideo) }
func (s Style) add(t string) string     { return s.paint(t, color.FgGreen) }
func (s Style) added(t string) string   { return s.paint(t, color.FgGreen, color.ReverseVideo) }

// Strong stands out.
func (s Style) Strong(t string) string { return s.paint(t, color.Bold) }

// Soft stands back.
func (s Style) Soft(t string) string { return s.paint(t, color.Faint) }

// Key is a key that can be pressed.
func (s Style) Key(t string) string { return s.paint(t, color.Bold, color.FgCyan) }

// Bad is what went wrong.
func (s Style) Bad(t string) string { return s.paint(t, color.Bold, color.FgRed) }
