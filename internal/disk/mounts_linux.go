package disk

import (
	"os"
	"strconv"
	"strings"

	"golang.org/x/sys/unix"
)

// MountPoints returns the absolute paths where something is mounted, as far as that is known. A file among them, such as a
// container's /etc/hosts, cannot be replaced.
func MountPoints() map[string]bool {
	points := map[string]bool{}
	text, err := os.ReadFile("/proc/self/mountinfo")
	if err != nil {
		return points
	}
	for line := range strings.Lines(string(text)) {
		if fields := strings.Fields(line); len(fields) > 4 {
			points[unescaped(fields[4])] = true
		}
	}
	return points
}

// unescaped returns a path of mountinfo, in which blanks and the like are octal numbers (proc(5)).
func unescaped(path string) string {
	var b strings.Builder
	for i := 0; i < len(path); i++ {
		if path[i] == '\\' && i+3 < len(path) {
			if n, err := strconv.ParseUint(path[i+1:i+4], 8, 8); err == nil {
				b.WriteByte(byte(n))
				i += 3
				continue
			}
		}
		b.WriteByte(path[i])
	}
	return b.String()
}

// SplitsLinks reports whether the directory's file system gives one of several names of a file a content of its own when it
// is written: one that lays a layer over others.
func (f *realDir) SplitsLinks() bool {
	var st unix.Statfs_t
	return unix.Fstatfs(f.fd(), &st) == nil && st.Type == unix.OVERLAYFS_SUPER_MAGIC
}
