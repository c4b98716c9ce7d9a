package tree

import (
	"bytes"
	"testing"

	"github.com/stretchr/testify/require"

	"frizzel/core/syntax"
)

// A text of more values than memory holds is refused before it is read, in every syntax that can have them.
func TestTooManyValues(t *testing.T) {
	for s, each := range map[syntax.Syntax]string{
		syntax.JSON: "1,", syntax.YAML: "- 1\n", syntax.TOML: "a=1\n", syntax.XML: "<a/>", syntax.CSV: "a,b\n", syntax.BareCSV: "a\n",
	} {
		text := bytes.Repeat([]byte(each), maxValues+1)
		_, err := Parse(s, text)
		require.ErrorContains(t, err, "more than the 5000000 that are read", s)
	}
}
