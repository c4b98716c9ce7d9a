package main

import (
	"crypto/sha256"
	"encoding/base64"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// The page for a change request: what stands in files, names, rules and values is text in it and
// nothing else; its one script is the one that it lets run; its digests are those of the files,
// before and after.
func TestPage(t *testing.T) {
	work := filepath.Join(t.TempDir(), "work")
	require.NoError(t, os.MkdirAll(work, 0o755))
	nasty := `</pre></details><script>alert(1)</script><img src=x onerror=alert(1)>"'&amp;<!--`
	name := `<img src=x onerror=alert(2)>.conf`
	content := "host = depot-3\n" + nasty + " depot-3 \x1b[31m \u202e\n"
	require.NoError(t, os.WriteFile(filepath.Join(work, name), []byte(content), 0o644))
	script := "title '" + strings.ReplaceAll(nasty, "'", "`") + "'\nparam p = \"<b>\"\nrule host '<script>' {\n    replace word \"depot-3\" with \"depot-4{=p}\"\n}\n"
	require.NoError(t, os.WriteFile(filepath.Join(work, "r.friz"), []byte(script), 0o644))
	_, errs, status := frizzel(t, work, "preview", "-r", "r.friz", "--format", "names", "--report", "page.html", "--hide", `text "amp"`, name)
	require.Zero(t, status, errs)
	text, err := os.ReadFile(filepath.Join(work, "page.html"))
	require.NoError(t, err)
	page := string(text)
	require.Equal(t, 1, strings.Count(page, "<script"))
	require.NotContains(t, page, "<img")
	require.NotContains(t, page, "\x1b")
	require.NotContains(t, page, "\u202e")
	require.NotRegexp(t, `https?:|url\(|@import`, page)
	require.Contains(t, page, "•••••") // hidden in the file, in the rules as text, too
	require.NotContains(t, page, "&amp;amp;<")

	_, after, _ := strings.Cut(page, "<script>")
	own, _, _ := strings.Cut(after, "</script>")
	sum := sha256.Sum256([]byte(own))
	policy := regexp.MustCompile(`default-src 'none';.*script-src 'sha256-([^']*)'`).FindStringSubmatch(page)
	require.NotNil(t, policy)
	require.Equal(t, base64.StdEncoding.EncodeToString(sum[:]), policy[1])

	// A short secret could be guessed from a digest, so a page that hides something has none.
	before := fmt.Sprintf("%x", sha256.Sum256([]byte(content)))
	require.NotContains(t, page, before[:12])
	_, errs, status = frizzel(t, work, "preview", "-r", "r.friz", "--format", "names", "--report", "open.html", name)
	require.Zero(t, status, errs)
	text, err = os.ReadFile(filepath.Join(work, "open.html"))
	require.NoError(t, err)
	_, errs, status = frizzel(t, work, "apply", "--yes", "-r", "r.friz", name)
	require.Zero(t, status, errs)
	fresh, err := os.ReadFile(filepath.Join(work, name))
	require.NoError(t, err)
	require.Contains(t, string(text), "before <code>"+before+"</code>, after <code>"+fmt.Sprintf("%x", sha256.Sum256(fresh))+"</code>")
}
