package program_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"frizzel/core/program"
)

// What must be settled once is settled once, at its level, whatever was there, and a
// second run changes nothing.
func TestSettleTwiceIsOnce(t *testing.T) {
	const x = `settle regex '^\s*x\s*=' as "x = 1" commented by "#" ";"`
	const server = `in block with word "server" ` + x
	for _, c := range []struct{ source, text, want string }{
		{server, "server {\n  a 1;\n}\n", "server {\n  a 1;\n  x = 1\n}\n"},
		{server, "server {\n}\nx = 2\n", "server {\n    x = 1\n}\nx = 2\n"},
		{server, "a {\n\tb\n}\nserver {\n}\n", "a {\n\tb\n}\nserver {\n\tx = 1\n}\n"},
		{server, "server {\n  in {\n    x = 2\n  }\n}\n", "server {\n  in {\n    x = 2\n  }\n  x = 1\n}\n"},
		{server, "server {\n  in {\n    x = 2\n  }\n  x = 3\n  # x = 4\n}\n", "server {\n  in {\n    x = 2\n  }\n  x = 1\n  # x = 4\n}\n"},
		{server, "server { x = 2 }\n", "server { x = 2 }\n"},
		{server, "server\n{\n  if {\n  } else {\n    b\n  }\n}\n", "server\n{\n  if {\n  } else {\n    b\n  }\n  x = 1\n}\n"},
		{server, "<server>\n  <in>\n   x = 2\n  </in>\n</server>\n", "<server>\n  <in>\n   x = 2\n  </in>\n  x = 1\n</server>\n"},
		{server, "server:\n  a: 1\n  list:\n    - b\n", "server:\n  a: 1\n  list:\n    - b\n  x = 1\n"},
		{server, "server:\n  a: 1\n# x = 2\nother:\n", "server:\n  a: 1\n  x = 1\n# x = 2\nother:\n"},
		{server, "server:\n- a\n- b\n", "server:\n- a\n- b\n"},
		{`in block with word "server" settle text "- x" as "- x"`, "server:\n- a\n- b\n", "server:\n- a\n- b\n- x\n"},
		{`in section "clock" ` + x, "[clock]\n\n\n[log]\nx = 2\n", "[clock]\nx = 1\n\n\n[log]\nx = 2\n"},
		{`on lines from word "B" to word "E" ` + x, "B\nE\n", "B\nx = 1\nE\n"},
		{`on lines from word "B" to word "E" ` + x, "B E\n", "B E\n"},
		{`on lines between word "B" and word "E" ` + x, "B\nx = 3\nE\n", "B\nx = 1\nE\n"},
		{`on lines 1 to 2 ` + x, "a\nb\nc\n", "a\nb\nc\n"},
		{`on lines 1 to 2 ` + x, "a\nx=2\nc\n", "a\nx = 1\nc\n"},
		{`on last 2 lines ` + x, "a\nb\n", "a\nb\n"},
		{`outside section "clock" ` + x, "a\n[clock]\nb\n", "a\n[clock]\nb\n"},
		{x, "", "x = 1\n"},
		{x, "a\n\n", "a\nx = 1\n\n"},
		{x, "x = 3\r\nx = 4\r\nb", "x = 1\r\nb"},
		{x, "x = 3\n  x = 4\n", "x = 3\n  x = 1\n"},
		{x, "  ;x = 3\n", "  x = 1\n"},
		{x, "x = [\n  1,\n]\n", "x = [\n  1,\n]\n"},
		{`settle regex '^server\s*=' as "server = N"`, "a:\n  b: 1\n", "a:\n  b: 1\nserver = N\n"},
		{`settle text "server=" as "server=1"`, "a:\n  b: 1\n", "a:\n  b: 1\n  server=1\n"},
		{"on lines between text \"BEGIN\" and text \"END\" {\ninsert below \"X\" unless present\nsettle text \"k=\" as \"k=1\"\n}", "BEGIN\nEND\n", "BEGIN\nk=1\nX\nEND\n"},
		{`settle section "extra"`, "", "[extra]\n"},
		{`settle section "extra"`, "a = 1", "a = 1\n\n[extra]"},
		{`settle section "extra"`, "a = 1\r\n\r\n", "a = 1\r\n\r\n[extra]\r\n"},
		{`settle section "extra"`, "[ extra ] ; kept\n", "[ extra ] ; kept\n"},
		{x + ` keeping comment`, "x = 222   # why\n", "x = 1     # why\n"},
		{x + ` keeping comment`, "x = 2\t; why\n", "x = 1\t; why\n"},
		{`settle word "x" as "x = 12345" keeping comment`, "x = 1 # why\n", "x = 12345 # why\n"},
		{`settle word "x" as "x = 1" keeping comment`, "x = \"a # b\"  // why\n", "x = 1        // why\n"},
		{`settle word "x" as "x = 1 # because" keeping comment`, "x = 2 # why\n", "x = 1 # because\n"},
		{`settle regex '^x = \d+$' as "x = 1" keeping comment`, "x = 2\n", "x = 1\n"},
		{x + ` keeping comment`, "#x = 2   # why\n", "x = 1    # why\n"},
		{x + " continued by \"\\\"", "x = a \\\n  x = b \\\n  c\nx = d\ny\n", "x = 1\ny\n"},
		{x + " continued by \"\\\"", "y = a \\\n  x = b\n", "y = a \\\n  x = b\nx = 1\n"},
		{x + " continued by indentation", "x = a\n  x = b\n\n  c\ny = 1\n  d\n", "x = 1\ny = 1\n  d\n"},
		{x + " continued by indentation", "y = 1\n  x = d\n", "y = 1\n  x = d\nx = 1\n"},
	} {
		once := become(t, c.source, c.text)
		require.Equal(t, c.want, once, "%s on %q", c.source, c.text)
		require.Equal(t, once, become(t, c.source, once), "%s on %q, again", c.source, c.text)
	}
}

// A settle that was run changes nothing when it runs again, wherever it stands.
func TestSettleAgain(t *testing.T) {
	for seed := range seeds(20000) {
		g := generator{Rand: rand.New(rand.NewPCG(seed, 7))}
		text, _ := g.parts()
		address := g.one("", `in section "clock" `, `in block with word "depot-3" `, `in block with text "listen" `, `in block with text "<" `,
			`on lines between text "listen" and text "}" `, `on lines from text "[" until text "[" `,
			`outside section "log" `, `in paragraph with text "listen" `)
		if g.IntN(4) == 0 {
			address = `in section "clock" ` + address
		}
		p := compileText(t, address+g.one(`settle regex '^\s*ab\b'`, `settle regex '^ab\b'`, `settle word "ab"`)+` as `+g.one(`"ab = 1"`+g.one("", ` keeping comment`), "\n| ab = 1\n| ab = 2\n")+
			g.one("", ` commented by "#"`)+g.one("", ` added at top`, ` added below word "b"`, ` added above text "="`))
		run := func(text string) (string, *program.Result) {
			res := p.Run(program.Input{Text: []byte(text), File: program.File{Path: "f.ini"}})
			return string(res.Edits.Apply([]byte(text))), res
		}
		once, first := run(text)
		if len(first.Notes) > 0 && first.Changes[0] > 0 {
			continue // a line that opens a block is left alone as long as it does
		}
		twice, res := run(once)
		require.Equal(t, once, twice, "seed %d: %s\non %q", seed, address, text)
		require.Zero(t, res.Changes[0], "seed %d: %s\non %q", seed, address, text)
	}
}
