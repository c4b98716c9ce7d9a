package main

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// fence is a fenced block of a page: the heading above it, what stands behind its mark, and its text.
type fence struct {
	heading, info, text string
	line                int
}

func fencesOf(t *testing.T, page string) (fences []fence) {
	text, err := os.ReadFile(page)
	require.NoError(t, err)
	mark, heading := "", ""
	for i, line := range strings.Split(string(text), "\n") {
		switch ticks := line[:len(line)-len(strings.TrimLeft(line, "`"))]; {
		case mark != "" && line == mark:
			mark = ""
		case mark != "":
			fences[len(fences)-1].text += line + "\n"
		case len(ticks) >= 3:
			mark = ticks
			fences = append(fences, fence{heading: heading, info: line[len(ticks):], line: i + 1})
		case strings.HasPrefix(line, "## "):
			heading = line[len("## "):]
		}
	}
	return fences
}

// An example is a script of a page, the tables it reads, and the texts before and after it.
type example struct {
	heading, script string
	tables          map[string]string // by file name
	before, after   *fence            // nil for a script that is shown alone
	line            int
}

func examplesOf(t *testing.T, page string) (examples []example) {
	for _, f := range fencesOf(t, page) {
		kind, rest, _ := strings.Cut(f.info, " ")
		if kind == "friz" {
			examples = append(examples, example{heading: f.heading, script: f.text, tables: map[string]string{}, line: f.line})
		}
		if len(examples) == 0 {
			continue
		}
		switch last := &examples[len(examples)-1]; kind {
		case "csv":
			last.tables[rest] = f.text
		case "before":
			last.before = &f
		case "after":
			require.NotNil(t, last.before, "%s:%d", page, f.line)
			last.after = &f
		}
	}
	return examples
}

// place writes the example's files into a new directory.
func (e example) place(t *testing.T) string {
	dir := filepath.Join(t.TempDir(), "docs")
	require.NoError(t, os.Mkdir(dir, 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "example.friz"), []byte(e.script), 0o644))
	for name, text := range e.tables {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
	}
	return dir
}

// Every script in the documentation is right and laid out the standard way, its
// examples hold, and what stands as before and after is what it does. A recipe does the same to
// the text with the other line endings, and without its last; and a second run changes nothing, or
// the checker warns of it, or the script says that it takes the first match only.
func TestDocumentation(t *testing.T) {
	t.Parallel()
	for page, least := range map[string]int{"language.md": 15, "cookbook.md": 40, "reference.md": 0} {
		run := 0
		for _, e := range examplesOf(t, filepath.Join("..", "..", "docs", page)) {
			if page == "reference.md" { // what its examples name
				e.tables = map[string]string{"other.friz": "trim line ends\n", "hosts.csv": "old,new\ndepot-3,depot-4\n",
					"platforms.csv": "oak,3\nash,4\n", "motd.txt": "Fernhollow Light Railway\n"}
			}
			dir := e.place(t)
			said, warned, status := frizzel(t, dir, "check", "example.friz")
			require.Zero(t, status, "%s:%d\n%s", page, e.line, said)
			laidOut, _, _ := frizzel(t, dir, "fmt", "--check", "example.friz")
			require.Empty(t, laidOut, "%s:%d is not laid out the standard way", page, e.line)
			if e.before == nil {
				continue
			}
			require.NotNil(t, e.after, "%s:%d: a before without an after", page, e.line)
			require.Equal(t, e.after.text, become(t, dir, *e.before, e.before.text), "%s:%d", page, e.line)
			run++
			if page != "cookbook.md" {
				continue
			}
			if !strings.Contains(e.script, "use ") && strings.Count(e.before.text, "\n") > 1 {
				for _, other := range []func(string) string{withCRLF, unended, func(text string) string { return unended(withCRLF(text)) }} {
					require.Equal(t, other(e.after.text), become(t, dir, *e.before, other(e.before.text)), "%s:%d", page, e.line)
				}
			}
			if again := become(t, dir, *e.before, e.after.text); again != e.after.text && !strings.Contains(e.script, " first\n") {
				require.Regexp(t, "second run|every run", said+warned, "%s:%d becomes by a second run\n%s", page, e.line, again)
			}
		}
		require.GreaterOrEqual(t, run, least, page)
	}
}

func withCRLF(text string) string { return strings.ReplaceAll(text, "\n", "\r\n") }

func unended(text string) string { return strings.TrimRight(text, "\r\n") }

// Every recipe that changes a text does what its heading says to texts that are laid out otherwise, too.
func TestRecipesOnOtherTexts(t *testing.T) {
	var heading string
	var before *fence
	others := map[string][][2]fence{}
	for _, f := range fencesOf(t, filepath.Join("testdata", "recipes.md")) {
		if strings.HasPrefix(f.info, "before") {
			heading, before = f.heading, &f
			continue
		}
		require.Equal(t, "after", f.info, "recipes.md:%d", f.line)
		require.Equal(t, heading, f.heading, "recipes.md:%d", f.line)
		others[heading] = append(others[heading], [2]fence{*before, f})
	}
	for _, e := range examplesOf(t, filepath.Join("..", "..", "docs", "cookbook.md")) {
		if e.before == nil {
			continue
		}
		pairs := others[e.heading]
		require.NotEmpty(t, pairs, "recipes.md has no other text for %q", e.heading)
		delete(others, e.heading)
		dir := e.place(t)
		for _, pair := range pairs {
			assert.Equal(t, pair[1].text, become(t, dir, pair[0], pair[0].text), "recipes.md:%d", pair[0].line)
		}
	}
	require.Empty(t, others, "recipes that the cookbook does not have")
}

// become runs the example over a text, with what stands behind the fence's mark.
func become(t *testing.T, dir string, before fence, input string) string {
	args := []string{"filter", "-r", "example.friz"}
	for _, word := range strings.Fields(before.info)[1:] {
		if set, ok := strings.CutPrefix(word, "set:"); ok {
			args = append(args, "--param", set)
		} else if word == "crlf" {
			input = withCRLF(input)
		} else {
			args = append(args, "--as", word)
		}
	}
	c := exec.Command(binary, args...)
	c.Dir = dir
	c.Stdin = strings.NewReader(input)
	var errs bytes.Buffer
	c.Stderr = &errs
	out, err := c.Output()
	require.NoError(t, err, "line %d: %s", before.line, errs.String())
	return string(out)
}

// Every command of the README's tour runs on the demo's files, as a reader would type it.
func TestReadmeCommands(t *testing.T) {
	dir := t.TempDir()
	t.Setenv("FRIZZEL_STATE", filepath.Join(t.TempDir(), "state"))
	_, _, status := frizzel(t, dir, "demo", "railway")
	require.Zero(t, status)
	page, err := os.ReadFile(filepath.Join("..", "..", "README.md"))
	require.NoError(t, err)
	_, tour, found := strings.Cut(string(page), "\ncd railway\n")
	require.True(t, found)
	tour, _, found = strings.Cut(tour, "\n## ")
	require.True(t, found)
	run := 0
	for line := range strings.Lines(tour) {
		if !strings.HasPrefix(line, "frizzel ") {
			continue
		}
		line = strings.TrimSpace(line)
		c := exec.Command("sh", "-c", `"$FRIZZEL"`+strings.TrimPrefix(line, "frizzel")+` "$@"`, "sh")
		if strings.HasPrefix(line, "frizzel apply") || strings.HasPrefix(line, "frizzel undo") {
			c.Args = append(c.Args, "--yes")
		}
		c.Dir, c.Env = filepath.Join(dir, "railway"), append(os.Environ(), "FRIZZEL="+binary)
		out, err := c.CombinedOutput()
		require.NoError(t, err, "%s\n%s", line, out)
		run++
	}
	require.GreaterOrEqual(t, run, 9)
}
