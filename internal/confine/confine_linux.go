package confine

import (
	"fmt"
	"os"

	"github.com/landlock-lsm/go-landlock/landlock"
	"github.com/landlock-lsm/go-landlock/landlock/syscall"
)

// The newest rights that are known here; a kernel that knows fewer enforces those.
var rights = landlock.V7

const (
	reading = syscall.AccessFSReadFile | syscall.AccessFSReadDir
	writing = reading | syscall.AccessFSWriteFile | syscall.AccessFSTruncate | syscall.AccessFSMakeReg | syscall.AccessFSRemoveFile
)

// Enforced returns the name of what confines commands here, or "" if nothing does.
func Enforced() string {
	v, err := syscall.LandlockGetABIVersion()
	if err != nil || v < 1 {
		return ""
	}
	return fmt.Sprintf("Landlock, version %d", v)
}

// restrict gives up all rights but those to read, to write in the private directory and those of outputs, and to remove the
// private one, which is empty by then, from above. No program can be started, and no TCP port used.
func restrict(above, private string, outputs map[string]bool) error {
	rules := []landlock.Rule{
		landlock.PathAccess(reading, "/"),
		landlock.PathAccess(syscall.AccessFSReadFile|syscall.AccessFSWriteFile, "/dev/null").IgnoreIfMissing(),
	}
	if private != "" {
		rules = append(rules, landlock.PathAccess(writing, private), landlock.PathAccess(reading|syscall.AccessFSRemoveDir, above))
	}
	for dir := range outputs {
		if _, err := os.Stat(dir); err == nil { // else the output will say what is wrong
			rules = append(rules, landlock.PathAccess(writing, dir))
		}
	}
	return rights.BestEffort().Restrict(rules...)
}
