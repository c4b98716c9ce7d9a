//go:build !linux

package disk

import (
	"fmt"
	"os"
	"runtime"

	"golang.org/x/sys/unix"
)

// SyncsAtOnce says that no call waits for a whole file system here, so that each file and
// directory is synced by itself.
const SyncsAtOnce = false

func syncSystem(f *os.File) error { return f.Sync() }

// searching opens a directory only to reach names in it, which needs no right to list it where the system has a
// flag for that (POSIX: O_SEARCH).
var searching = map[string]int{"darwin": 0x40000000, "freebsd": 0x00040000}[runtime.GOOS]

func openWhole(string) (int, error) { return -1, errNoWhole }

// Hasten leaves it to Sync.
func (f *realFile) Hasten(int64, int64) {}

// Boot identifies the machine's current boot, or returns "" if it is unknown.
func Boot() string {
	boot, err := unix.SysctlRaw("kern.boottime")
	if err != nil {
		return ""
	}
	return fmt.Sprintf("%x", boot)
}

// MountPoints returns the absolute paths where something is mounted, as far as that is known.
func MountPoints() map[string]bool { return nil }

// SplitsLinks reports whether the directory's file system gives one of several names of a file a content of its own when it
// is written.
func (f *realDir) SplitsLinks() bool { return false }

// maxName returns the maximum length of a name in bytes.
func maxName(int) int { return usualMaxName }
