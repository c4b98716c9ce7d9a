package vault

import (
	"errors"
	"os"

	"golang.org/x/sys/unix"
)

// syncFileSystem waits until all that was written to the file system that holds a
// folder has reached the disk.
func syncFileSystem(folder string) error {
	f, err := os.Open(folder)
	if err != nil {
		return err
	}
	return errors.Join(unix.Syncfs(int(f.Fd())), f.Close())
}
