package main

import (
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// testdata/members/members.txt is how members come, go and change in files of many layouts: behind
// == a file's name stands its text, behind each -- a rule, and below that the diff of what it does.
func TestMembers(t *testing.T) {
	watchSources()
	const name = "testdata/members/members.txt"
	written, err := os.ReadFile(name)
	require.NoError(t, err)
	var got strings.Builder
	for _, file := range files(string(written)) {
		parts := strings.Split(file, "\n-- ")
		path, text, _ := strings.Cut(parts[0], "\n")
		dir := t.TempDir()
		text = strings.NewReplacer("␍", "\r", "␉", "\t").Replace(text)
		require.NoError(t, os.WriteFile(filepath.Join(dir, path), []byte(text+"\n"), 0o644))
		got.WriteString("== " + parts[0])
		for _, part := range parts[1:] {
			rule, rest, _ := strings.Cut(part, "\n")
			for strings.HasPrefix(rest, "    |") { // a text of several lines
				line, behind, _ := strings.Cut(rest, "\n")
				rule, rest = rule+"\n"+line, behind
			}
			out, errs, _ := frizzel(t, dir, "preview", "--context", "1", "--rule", rule, path)
			if _, hunks, ok := strings.Cut(out, "+++ b/"+path+"\n"); ok {
				out = hunks
			}
			for line := range strings.Lines(errs) {
				if strings.HasPrefix(line, "frizzel: ") || strings.HasPrefix(line, "note: ") {
					out += line
				}
			}
			got.WriteString("\n-- " + rule + "\n" + strings.NewReplacer("\r", "␍", "\t", "␉").Replace(out))
		}
		got.WriteString("\n")
	}
	if *update {
		require.NoError(t, os.WriteFile(name, []byte(got.String()), 0o644))
		return
	}
	want, now := strings.Split(string(written), "\n-- "), strings.Split(got.String(), "\n-- ")
	require.Len(t, now, len(want))
	for i := range want {
		require.Equal(t, strings.TrimRight(want[i], "\n"), strings.TrimRight(now[i], "\n"))
	}
}

// files splits the page at the lines that name a file.
func files(page string) (all []string) {
	heads := regexp.MustCompile(`(?m)^== [\w.-]+$`).FindAllStringIndex(page, -1)
	for i, head := range heads {
		end := len(page)
		if i+1 < len(heads) {
			end = heads[i+1][0]
		}
		all = append(all, page[head[0]+len("== "):end])
	}
	return all
}
