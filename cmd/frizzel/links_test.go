package main

import (
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

var (
	linked  = regexp.MustCompile(`\]\(([^)\s]+)\)|(?:href|src)="([^"]+)"`)
	fenced  = regexp.MustCompile("(?s)(?m:^)```.*?\n```\n|`[^`\n]*`")
	titled  = regexp.MustCompile(`(?m)^#+ (.+)$`)
	unslugs = regexp.MustCompile(`[^\pL\pN _-]`)
)

// Every link in the documentation leads to a file that is there and a heading in it; every picture
// is linked from the first page, and every page is.
func TestLinks(t *testing.T) {
	top := filepath.Join("..", "..")
	pages, err := filepath.Glob(filepath.Join(top, "docs", "*.md"))
	require.NoError(t, err)
	first := filepath.Join(top, "README.md")
	fromFirst := map[string]bool{}
	for _, page := range append(pages, first, filepath.Join(top, "CONTRIBUTING.md"), filepath.Join(top, "CHANGELOG.md")) {
		for _, m := range linked.FindAllStringSubmatch(unfenced(t, page), -1) {
			path, heading, _ := strings.Cut(m[1]+m[2], "#")
			require.NotContains(t, path, "://", "%s: nothing outside is linked", page)
			target := page
			if path != "" {
				target = filepath.Join(filepath.Dir(page), path)
			}
			_, err := os.Stat(target)
			require.NoError(t, err, "%s links %s", page, m[0])
			if heading != "" {
				require.Contains(t, slugs(t, target), heading, "%s links %s", page, m[0])
			}
			if page == first {
				fromFirst[filepath.Clean(target)] = true
			}
		}
	}
	pictures, err := filepath.Glob(filepath.Join(top, "docs", "screenshots", "*.png"))
	require.NoError(t, err)
	require.NotEmpty(t, pictures)
	for _, path := range append(pictures, pages...) {
		require.True(t, fromFirst[filepath.Clean(path)], "%s is not linked from README.md", path)
	}
}

// unfenced reads a page without what stands in it as code.
func unfenced(t *testing.T, page string) string {
	text, err := os.ReadFile(page)
	require.NoError(t, err)
	return fenced.ReplaceAllString(string(text), "")
}

// slugs are the anchors of a page's headings.
func slugs(t *testing.T, page string) (all []string) {
	text, err := os.ReadFile(page)
	require.NoError(t, err)
	for _, m := range titled.FindAllStringSubmatch(string(text), -1) {
		slug := strings.ToLower(unslugs.ReplaceAllString(m[1], ""))
		all = append(all, strings.ReplaceAll(slug, " ", "-"))
	}
	return all
}
