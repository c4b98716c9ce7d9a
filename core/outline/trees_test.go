package outline

import (
	"bytes"
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"frizzel/core/syntax"
)

// drawn writes a tree, a line of the text each: the depth and what the line is, then the line.
//
//	. blank   # comment   e entry   i, { and < what opens a block   s section   ! what opens and is never closed
//	+ a line of what opens and closes the block around it
func drawn(t *Text) string {
	var b strings.Builder
	for i := range t.Count() {
		depth := 0
		for up := t.Item(i).Parent; up >= 0; up = t.Item(up).Parent {
			depth++
		}
		item := t.Item(i)
		letter := map[Kind]string{Blank: ".", Comment: "#", Entry: "e", Block: "i{<"[item.By : item.By+1], Section: "s"}[item.Kind]
		switch {
		case item.Unclosed:
			letter = "!"
		case item.Kind == Entry && t.Opens(i):
			letter = "+"
		}
		fmt.Fprintf(&b, "%d%s %s\n", depth, letter, t.Content(i))
	}
	return b.String()
}

// Each case in testdata/trees.tree is a file's name and its tree as drawn writes it.
func TestTrees(t *testing.T) {
	content, err := os.ReadFile("testdata/trees.tree")
	require.NoError(t, err)
	var now bytes.Buffer
	for _, c := range strings.SplitAfter(string(content), "%%%%%\n") {
		name, tree, _ := strings.Cut(strings.TrimSuffix(c, "%%%%%\n"), "\n")
		var text strings.Builder
		for line := range strings.Lines(tree) {
			text.WriteString(line[min(3, len(line)-1):])
		}
		got := drawn(New([]byte(text.String()), syntax.Of(strings.Fields(name)[0])))
		fmt.Fprintf(&now, "%s\n%s", name, got)
		if strings.HasSuffix(c, "%%%%%\n") {
			now.WriteString("%%%%%\n")
		}
	}
	if os.Getenv("FRIZZEL_UPDATE") != "" {
		require.NoError(t, os.WriteFile("testdata/trees.tree", now.Bytes(), 0o644))
	}
	require.Equal(t, string(content), now.String())
}
