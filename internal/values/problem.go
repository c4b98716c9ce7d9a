package values

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strings"

	"github.com/pelletier/go-toml/v2/unstable"
	"go.yaml.in/yaml/v3"
)

// problem returns what a parser of text said, with the line (from 1) where it knows one, and in
// the words of who wrote the file: shape says what such a file holds.
func problem(text []byte, err error, shape string) error {
	var (
		syntax *json.SyntaxError
		kind   *json.UnmarshalTypeError
		kinds  *yaml.TypeError
	)
	switch {
	case errors.As(err, &kind), errors.As(err, &kinds):
		return errors.New(shape)
	case errors.As(err, &syntax) && syntax.Offset <= int64(len(text)):
		return atLine(text[:max(syntax.Offset-1, 0)], err)
	case len(bytes.TrimSpace(text)) == 0:
		return errors.New("the file is empty")
	case errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF):
		return atLine(bytes.TrimRight(text, " \t\r\n"), errors.New("the file ends in the midst of it"))
	}
	return errors.New(strings.TrimPrefix(err.Error(), "yaml: "))
}

// TOMLProblem returns what the parser of TOML said of text, with the line where that is.
func TOMLProblem(text []byte, err error) error {
	var toml *unstable.ParserError
	if !errors.As(err, &toml) || len(toml.Highlight) == 0 {
		return err
	}
	at := cap(text) - cap(toml.Highlight) // a part of text shares its end
	if at < 0 || at >= len(text) || &text[at] != &toml.Highlight[0] {
		return err
	}
	return atLine(text[:at], err)
}

func atLine(before []byte, err error) error {
	return fmt.Errorf("line %d: %w", 1+bytes.Count(before, []byte("\n")), err)
}
