//go:build !linux

package disk

import (
	"fmt"
	"os"

	"golang.org/x/sys/unix"
)

// SyncsAtOnce says that no call waits for a whole file system here, so that each file and
// directory is synced by itself.
const SyncsAtOnce = false

func syncSystem(f *os.File) error { return f.Sync() }

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
