// Package editor opens files in the user's editor.
package editor

import (
	"cmp"
	"fmt"
	"os"
	"os/exec"
	"strings"

	"github.com/kballard/go-shellquote"
)

// fallback is the editor that every system has (POSIX).
const fallback = "vi"

// Open returns the command that opens a file in the editor that $VISUAL or $EDITOR names, at a 1-based line; 0 for none.
// The variables hold words as a shell splits them; no shell is started.
func Open(path string, line int) *exec.Cmd {
	named := cmp.Or(os.Getenv("VISUAL"), os.Getenv("EDITOR"), fallback)
	words, err := shellquote.Split(named)
	if err != nil || len(words) == 0 {
		words = strings.Fields(named)
	}
	if len(words) == 0 {
		words = []string{fallback}
	}
	if line > 0 {
		words = append(words, fmt.Sprintf("+%d", line))
	}
	if strings.HasPrefix(path, "-") || strings.HasPrefix(path, "+") { // it would be an option
		path = "./" + path
	}
	words = append(words, path)
	return exec.Command(words[0], words[1:]...)
}
