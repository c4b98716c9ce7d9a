package main

import (
	"debug/buildinfo"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// What a release is made with knows every module of the program.
func TestReleaseKnowsTheModules(t *testing.T) {
	info, err := buildinfo.ReadFile(binary)
	require.NoError(t, err)
	require.NotEmpty(t, info.Deps)
	sums, err := os.ReadFile(filepath.Join("..", "..", "packaging", "go.sum"))
	require.NoError(t, err)
	for _, m := range info.Deps {
		if m.Replace != nil { // by a directory of this one
			continue
		}
		require.True(t, strings.Contains("\n"+string(sums), "\n"+m.Path+" "), "go mod tidy in packaging lets it know %s", m.Path)
	}
}

// Every module of the program has a licence that goes with copies of it, and so has Go.
func TestNotices(t *testing.T) {
	info, err := buildinfo.ReadFile(binary)
	require.NoError(t, err)
	c := exec.Command("go", "run", "./docs/notices", binary)
	c.Dir = filepath.Join("..", "..")
	out, err := c.CombinedOutput()
	require.NoError(t, err, string(out))
	require.Contains(t, string(out), "\nGo: LICENSE\n")
	for _, m := range info.Deps {
		if m.Replace == nil {
			require.Regexp(t, `(?i)\n`+regexp.QuoteMeta(m.Path+"@"+m.Version)+`: (licen[cs]e|copying)`, string(out))
		}
	}
	own, err := os.ReadFile(filepath.Join("..", "..", "LICENSE"))
	require.NoError(t, err)
	require.Contains(t, string(own), "Apache License")
	require.Contains(t, string(own), "The Frizzel Authors")
}

// The map has a line for every package, and each package imports only packages on lines below its own.
func TestMap(t *testing.T) {
	top := filepath.Join("..", "..")
	page, err := os.ReadFile(filepath.Join(top, "docs", "architecture.md"))
	require.NoError(t, err)
	var order []string
	for _, m := range regexp.MustCompile(`(?m)^((?:core|internal)/[a-z/]+)  +\S`).FindAllStringSubmatch(string(page), -1) {
		require.NotContains(t, order, m[1], "it is on the map twice")
		order = append(order, m[1])
	}
	imports := map[string][]string{}
	for _, floor := range []string{"core", "internal"} {
		require.NoError(t, filepath.WalkDir(filepath.Join(top, floor), func(path string, e fs.DirEntry, err error) error {
			if err != nil || filepath.Ext(path) != ".go" {
				return err
			}
			dir, err := filepath.Rel(top, filepath.Dir(path))
			require.NoError(t, err)
			name := filepath.ToSlash(dir)
			imports[name] = append(imports[name], "")
			if strings.HasSuffix(path, "_test.go") {
				return nil
			}
			file, err := parser.ParseFile(token.NewFileSet(), path, nil, parser.ImportsOnly)
			require.NoError(t, err)
			for _, i := range file.Imports {
				of, err := strconv.Unquote(i.Path.Value)
				require.NoError(t, err)
				if of, ok := strings.CutPrefix(of, "frizzel/"); ok && strings.Contains(of, "/") {
					imports[name] = append(imports[name], of)
				}
			}
			return nil
		}))
	}
	require.Len(t, order, len(imports), "packages that are not there are on the map, or packages are missing")
	for name, all := range imports {
		at := slices.Index(order, name)
		require.GreaterOrEqual(t, at, 0, "%s is on no map", name)
		for _, of := range all {
			if of != "" {
				require.Greater(t, slices.Index(order, of), at, "%s imports %s, which is above it on the map", name, of)
			}
		}
	}
}
