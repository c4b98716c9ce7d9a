package main

import (
	"debug/buildinfo"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// What a release is made with knows every module of the program, and the map every room.
func TestHouse(t *testing.T) {
	top := filepath.Join("..", "..")
	info, err := buildinfo.ReadFile(binary)
	require.NoError(t, err)
	require.NotEmpty(t, info.Deps)
	sums, err := os.ReadFile(filepath.Join(top, "packaging", "go.sum"))
	require.NoError(t, err)
	for _, m := range info.Deps {
		require.True(t, strings.Contains("\n"+string(sums), "\n"+m.Path+" "), "go mod tidy in packaging lets it know %s", m.Path)
	}

	page, err := os.ReadFile(filepath.Join(top, "docs", "architecture.md"))
	require.NoError(t, err)
	for _, floor := range []string{"core", "internal"} {
		rooms, err := os.ReadDir(filepath.Join(top, floor))
		require.NoError(t, err)
		for _, room := range rooms {
			require.True(t, strings.Contains(string(page), room.Name()), "%s/%s is on no map", floor, room.Name())
		}
	}
}
