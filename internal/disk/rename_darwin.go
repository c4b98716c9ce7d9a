package disk

import "golang.org/x/sys/unix"

// renameFree renames in a directory, to a name that nothing has.
func renameFree(dir int, from, to string) error {
	err := unix.RenameatxNp(dir, from, dir, to, unix.RENAME_EXCL)
	if err == unix.ENOTSUP || err == unix.EINVAL {
		return errNoExclusive
	}
	return err
}
