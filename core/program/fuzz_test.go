package program_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"frizzel/core/compile"
	"frizzel/core/diff"
	"frizzel/core/program"
	"frizzel/core/script"
)

// Whatever the script and the text, a run ends, its edits are in order, and the
// diff says what they do.
func FuzzRun(f *testing.F) {
	f.Add("in block with text \"{\" { delete }", "a {\n\"b\n}\n'")
	f.Add("replace regex '(a)(?P<n>b)?' with \"{=n upper}{=1}\" across lines", "ab\r\na\n")
	f.Add("on lines from regex '' until regex 'x*' move below last line", "x\n\ny")
	f.Add("replace each text ignoring case { \"k\" with \"x\"\n\"ſt\" with \"y\" }", "KſtsT\xffk")
	f.Add("in section \"a\" settle word \"b\" as \"c\" commented by \"#\"", "[a]\n#b\n\n[b]\n# A\n===\n")
	f.Add("in block with text \"<\" comment out with \"#\"\nin paragraph with regex '.' copy above first line", "<a b='>'\n><c/>\n</a>")
	f.Add("insert below \"x\"\nremove word \"x\" last in file\ntrim line ends\nuse line endings crlf", "a \n\tb")
	f.Add("in block with text \"{\" directly { comment out with \"#\"; insert below \"x\"; settle word \"b\" as \"b\" keeping comment }", "a {\n b # c\n <a>{\n}\n} else {\n}")
	f.Add("on lines with word \"x\" { move below last line; insert below \"y\"; delete }\nsettle section \"a\"", "x\nb\nx")
	f.Add("settle text \"a\" as \"a\" continued by \"\\\"\nsettle text \"b\" as \"b\" continued by indentation", "a \\\n b\nb\n c\n\n d")
	f.Fuzz(func(t *testing.T, source, text string) {
		hangs := time.AfterFunc(5*time.Second, func() { panic(fmt.Sprintf("hangs: %q on %q", source, text)) })
		defer hangs.Stop()
		s, problems := script.Parse("fuzz.friz", source)
		if len(problems) > 0 || len(source) > 1000 || len(text) > 2000 {
			return
		}
		p, problems := compile.Scripts([]*script.Script{s}, compile.Options{Now: time.Unix(0, 0), Lenient: true})
		if p == nil {
			require.NotEmpty(t, problems.Errors())
			return
		}
		compile.Examples(s, compile.Options{Lenient: true})
		for _, name := range []string{"f.txt", "f.md"} {
			res := p.Run(program.Input{Text: []byte(text), File: program.File{Path: name, Rel: name}})
			at := 0
			for _, e := range res.Edits {
				require.True(t, at <= e.Start && e.Start <= e.End && e.End <= len(text), "%+v", res.Edits)
				at = e.End
			}
			fresh := res.Edits.Apply([]byte(text))
			var old, now []byte
			for _, h := range diff.Hunks([]byte(text), res.Edits, len(text)+1) {
				for _, l := range h.Lines {
					if l.Op != diff.Add {
						old = append(old, l.Text...)
					}
					if l.Op != diff.Remove {
						now = append(now, l.Text...)
					}
				}
			}
			if len(res.Edits) > 0 {
				require.NotEqual(t, text, string(fresh))
				require.Equal(t, text, string(old))
				require.Equal(t, string(fresh), string(now))
			}
		}
	})
}
