// Package demo holds the made-up files of the Fernhollow Light Railway, for trying
// everything out.
package demo

import (
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
)

//go:embed files
var files embed.FS

// links are the symbolic links among the files, which cannot be embedded: their targets by their paths.
var links = map[string]string{"kiosks/current": "depot-3.d"}

// Unpack writes the files into a directory, which must be empty or not there yet.
func Unpack(dir string) error {
	entries, err := os.ReadDir(dir)
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	if len(entries) > 0 {
		return fmt.Errorf("the directory %q is not empty; name one that is, or a new one", dir)
	}
	err = fs.WalkDir(files, "files", func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		rel, err := filepath.Rel("files", path)
		if err != nil {
			return err
		}
		to := filepath.Join(dir, rel)
		if d.IsDir() {
			return os.MkdirAll(to, 0o755)
		}
		content, err := files.ReadFile(path)
		if err != nil {
			return err
		}
		return os.WriteFile(to, content, 0o644)
	})
	for path, target := range links {
		if err == nil {
			err = os.Symlink(target, filepath.Join(dir, path))
		}
	}
	return err
}
