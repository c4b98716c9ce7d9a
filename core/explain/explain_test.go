package explain

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"frizzel/core/compile"
	"frizzel/core/program"
	"frizzel/core/script"
)

// Every form of the language has a sentence, and is run by itself; a whole script does what its statements do one by one.
func TestEveryForm(t *testing.T) {
	text := "# depot-3\n[clock]\nserver = 192.0.2.30\nhost = depot-3\n\n[kiosks]\nkiosk 7\nkiosk 3\nport = 8415\n\n\nserver {\n    listen 80;\n}\n"
	file := program.File{Path: "a.conf", Rel: "a.conf"}
	for _, chapter := range script.Reference() {
		for _, use := range chapter.Uses {
			s, problems := script.Parse("use.friz", use.Example)
			require.Empty(t, problems.Errors(), use.Example)
			for _, n := range s.Items {
				require.NotEmpty(t, Sentence(n), use.Example)
			}
			x := Script{Scripts: []*script.Script{s}, Options: compile.Options{Lenient: true, Load: func(string) ([]byte, error) { return []byte("a,b\n"), nil }}}
			p, _ := compile.Scripts(x.Scripts, x.Options)
			if p == nil {
				continue
			}
			called := map[script.Subject]string{script.FileName: "depot-3.conf", script.DirectoryName: "depot-3", script.LinkTarget: "../depot-3"}
			account := x.Of(Text{File: file, Content: []byte(text), Called: called})
			made := p.Run(program.Input{Text: []byte(text), File: file})
			require.Equal(t, string(made.Edits.Apply([]byte(text))), string(account.result), use.Example)
			changes := made.All()
			for of, name := range called {
				made := p.Name(program.Input{Of: of, Text: []byte(name), File: file})
				changes += made.All()
				require.Equal(t, string(made.Edits.Apply([]byte(name))), account.called[of], use.Example)
			}
			require.Equal(t, changes > 0, len(account.Steps) > 0, "%s\n%+v", use.Example, account)
			if changes == 0 && p.Statements > 0 {
				require.NotEmpty(t, account.Whys, use.Example)
			}
		}
	}
}

// The demo's scripts do to its files, statement by statement, what they do as a whole; a line that is asked about is told
// alone.
func TestDemo(t *testing.T) {
	scripts, err := filepath.Glob("../../demo/files/rules/*.friz")
	require.NoError(t, err)
	files, err := filepath.Glob("../../demo/files/[cds]*/*")
	require.NoError(t, err)
	require.NotEmpty(t, scripts)
	changed := 0
	for _, path := range scripts {
		rules, err := os.ReadFile(path)
		require.NoError(t, err)
		s, problems := script.Parse(path, string(rules))
		require.Empty(t, problems.Errors())
		x := Script{Scripts: []*script.Script{s}}
		p, problems := compile.Scripts(x.Scripts, x.Options)
		require.NotNil(t, p, problems.Error())
		for _, name := range files {
			text, err := os.ReadFile(name)
			require.NoError(t, err)
			file := program.File{Path: name, Rel: filepath.Base(name)}
			account := x.Of(Text{File: file, Content: text})
			require.Equal(t, string(p.Run(program.Input{Text: text, File: file}).Edits.Apply(text)), string(account.result), "%s %s", path, name)
			for _, step := range account.Steps {
				changed++
				one := x.Of(Text{File: file, Content: text, Line: step.Line})
				require.Contains(t, one.Steps, step)
				for _, other := range one.Steps {
					require.Equal(t, step.Line, other.Line)
				}
			}
		}
	}
	require.Greater(t, changed, 20)
}
