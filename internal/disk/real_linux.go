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

// searching opens a directory only to reach names in it.
const searching = unix.O_PATH

// openWhole opens a directory by its absolute path with one system call that follows no link, if the kernel has
// it (5.6) and a sandbox does not forbid it.
func openWhole(path string) (int, error) {
	how := unix.OpenHow{Flags: unix.O_RDONLY | unix.O_DIRECTORY | unix.O_CLOEXEC | unix.O_NONBLOCK, Resolve: unix.RESOLVE_NO_SYMLINKS}
	for {
		fd, err := unix.Openat2(unix.AT_FDCWD, path, &how)
		switch err {
		case unix.EINTR:
			continue
		case unix.ENOSYS, unix.EPERM, unix.EAGAIN, unix.E2BIG, unix.EINVAL:
			return -1, errNoWhole
		}
		return fd, err
	}
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

// renameFree renames in a directory, to a name that nothing has.
func renameFree(dir int, from, to string) error {
	err := unix.Renameat2(dir, from, dir, to, unix.RENAME_NOREPLACE)
	if err == unix.EINVAL || err == unix.ENOSYS { // this file system cannot, or the kernel is older than 3.15
		return errNoExclusive
	}
	return err
}

// maxName returns the maximum length of a name in bytes.
func maxName(dir int) int {
	var st unix.Statfs_t
	if unix.Fstatfs(dir, &st) != nil || st.Namelen <= 0 {
		return usualMaxName
	}
	return int(st.Namelen)
}
