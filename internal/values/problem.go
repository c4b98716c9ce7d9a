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

// problem returns a parser's error with its 1-based line, if known, in the terms of the user. shape describes the
// content of a valid file.
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

// TOMLProblem returns the error of the TOML parser for text, with its line.
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
