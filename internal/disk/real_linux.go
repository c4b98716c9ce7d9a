package disk

import (
	"os"
	"strings"

	"golang.org/x/sys/unix"
)

// SyncsAtOnce says that one call brings a whole file system to the disk.
const SyncsAtOnce = true

func syncSystem(f *os.File) error {
	if err := unix.Syncfs(int(f.Fd())); err != nil {
		return &os.PathError{Op: "sync the file system of", Path: f.Name(), Err: err}
	}
	return nil
}

// Hasten has the kernel begin to write. If it cannot, Sync does it all.
func (f *realFile) Hasten(at, n int64) {
	_ = unix.SyncFileRange(f.fd, at, n, unix.SYNC_FILE_RANGE_WRITE)
}

// Boot identifies the machine's current boot, or returns "" if it is unknown. Device numbers may change with the
// next boot.
func Boot() string {
	id, err := os.ReadFile("/proc/sys/kernel/random/boot_id")
	if err != nil {
		return ""
	}
	return strings.TrimSpace(string(id))
}
