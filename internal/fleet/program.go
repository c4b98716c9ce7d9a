package fleet

import "io"

// A Program is this program, to be brought to hosts.
type Program struct{}

// NewProgram returns this program, with those of other systems in a directory.
func NewProgram(dir string) (*Program, error) { return &Program{}, nil }

func (p *Program) words(start []string) []string                          { return nil }
func (p *Program) bring(in io.Writer, out *io.Reader, heard func()) error { return nil }
