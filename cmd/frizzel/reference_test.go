package main

import (
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"frizzel/core/script"
)

// chapter writes the forms of a chapter for the page.
func chapter(c script.Chapter) string {
	var b strings.Builder
	fmt.Fprintf(&b, "## %s\n", c.Name)
	for _, u := range c.Uses {
		form := "`" + u.Form + "`"
		if strings.Contains(u.Form, "`") {
			form = "`` " + u.Form + " ``"
		}
		fmt.Fprintf(&b, "\n%s: %s.\n\n```friz\n%s\n```\n", form, u.Help, u.Example)
	}
	return b.String()
}

// The reference page has the forms of the table of the language, all of them. With -update they are written anew.
func TestReferencePage(t *testing.T) {
	name := filepath.Join("..", "..", "docs", "reference.md")
	text, err := os.ReadFile(name)
	require.NoError(t, err)
	page := string(text)
	for _, c := range script.Reference() {
		part := regexp.MustCompile(`(?s)(<!-- forms: ` + c.Name + ` -->\n).*?(<!-- end -->)`)
		require.Len(t, part.FindAllString(page, -1), 1, "%s is not on the page once", c.Name)
		page = part.ReplaceAllStringFunc(page, func(old string) string {
			m := part.FindStringSubmatch(old)
			return m[1] + chapter(c) + m[2]
		})
	}
	if *update {
		require.NoError(t, os.WriteFile(name, []byte(page), 0o644))
		return
	}
	require.Equal(t, page, string(text))
}
