//go:build !linux && !darwin

package disk

// renameFree renames in a directory, to a name that nothing has, which this system has no call for.
func renameFree(int, string, string) error { return errNoExclusive }
