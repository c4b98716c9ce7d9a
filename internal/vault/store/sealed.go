package store

import (
	"errors"

	"frizzel/internal/disk"
	"frizzel/internal/trailer"
)

// A file of the store's own ends in a digest, so that what was flipped or cut is noticed. It
// is replaced as a whole, never changed in place.

// putSealed replaces a file by body, whole or not at all. Its name is on disk once the
// folder is synced.
func putSealed(folder disk.Folder, name, of string, body []byte) error {
	fresh := name + ".new"
	if err := disk.RemoveIfThere(folder, fresh); err != nil {
		return err
	}
	if err := disk.WriteFile(folder, fresh, trailer.Add(of+"/"+name, body), disk.Synced); err != nil {
		return errors.Join(err, disk.RemoveIfThere(folder, fresh))
	}
	return folder.Rename(fresh, name)
}

// getSealed reads what putSealed wrote.
func getSealed(folder disk.Folder, name, of string) ([]byte, error) {
	text, _, err := disk.ReadFile(folder, name)
	if err != nil {
		return nil, err
	}
	return trailer.Cut(of+"/"+name, text)
}
