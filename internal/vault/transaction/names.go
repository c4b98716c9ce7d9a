package transaction

import (
	"fmt"
	"os"

	"frizzel/internal/disk"
	"frizzel/internal/exit"
	"frizzel/internal/vault/store"
)

// A NamesError reports a file with several names that is not rewritten.
type NamesError struct{ Path, Reason string }

// ExitStatus returns Refused.
func (*NamesError) ExitStatus() exit.Status { return exit.Refused }

func (e *NamesError) Error() string {
	return fmt.Sprintf("%s has several names (hard links), and %s; nothing was written", e.Path, e.Reason)
}

// names returns an error if a file with several names must not be rewritten: on a layered file system the names would part,
// and where others make names, one of them may stand for a file that was never meant.
func (s *staging) names() error {
	if s.found.Links < 2 {
		return nil
	}
	if d, ok := s.dir.Dir.(interface{ SplitsLinks() bool }); ok && d.SplitsLinks() {
		return &NamesError{s.change.Path, "its file system is laid over another one (overlay), so writing one name would part it from the others; write it in the layer below, or give this name a copy of its own first"}
	}
	in, err := s.dir.Stat(".")
	if err != nil {
		return nil // a file system that does not tell
	}
	trusted := in.UID == 0 || in.UID == os.Geteuid() || in.UID == s.found.UID
	if !trusted || in.Mode&0o022 != 0 && s.found.UID != os.Geteuid() {
		return &NamesError{s.change.Path, "users who may not write it can make names in its directory: this name may stand for a file elsewhere; write it by a name in a directory of its owner"}
	}
	return nil
}

// isMounted reports whether a file is a mount point, which cannot be replaced by another file.
func (w *writer) isMounted(e *store.Entry) bool {
	w.mounts.Do(func() { w.mounted = disk.MountPoints() })
	return w.mounted[e.Absolute()]
}
