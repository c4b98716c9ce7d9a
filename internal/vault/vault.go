// Package vault writes files so that every one is whole at every instant, all of a
// run are written or none, and every run can be taken back. It is the only package
// that changes a user's file.
//
// The central type is [Vault], a private folder of runs. A run's folder holds a
// manifest of what it intends, one backup file with all old contents, and a journal
// that says how far it came. [Vault.Write] goes through these steps:
//
//  1. the manifest says which files are to be written, on disk;
//  2. old contents go to the backup, new contents to temporary files beside their
//     targets, with the attributes of the originals; all of it reaches the disk;
//  3. the journal says "replacing", on disk;
//  4. each target still is what was read, and its temporary file is renamed over it;
//     the folders reach the disk;
//  5. the journal says "done", on disk.
//
// A run whose journal does not end in "done" is put back: what did not report
// success did not happen.
package vault

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"github.com/gofrs/flock"
)

// Vault is a folder of runs, readable by its owner alone.
type Vault struct {
	folder string
	disk   disk
}

// DefaultFolder returns where backups and history are kept: $FRIZZEL_STATE; for
// root /var/lib/frizzel; else $XDG_STATE_HOME/frizzel or ~/.local/state/frizzel.
func DefaultFolder() (string, error) {
	if f := os.Getenv("FRIZZEL_STATE"); f != "" {
		return filepath.Abs(f)
	}
	if os.Geteuid() == 0 {
		return "/var/lib/frizzel", nil
	}
	if f := os.Getenv("XDG_STATE_HOME"); filepath.IsAbs(f) {
		return filepath.Join(f, "frizzel"), nil
	}
	home, err := os.UserHomeDir()
	if err != nil {
		return "", fmt.Errorf("there is no folder for backups: %w; set FRIZZEL_STATE", err)
	}
	return filepath.Join(home, ".local", "state", "frizzel"), nil
}

// Open returns the vault in a folder, which need not be there yet. Nothing is
// created before the first run is written.
func Open(folder string) *Vault { return &Vault{folder: folder} }

// Folder returns the vault's folder.
func (v *Vault) Folder() string { return v.folder }

func (v *Vault) runs() string { return filepath.Join(v.folder, "runs") }

// lockPatience is how long a writer waits for another one.
const lockPatience = 10 * time.Second

// ErrBusy is returned where another run holds the vault for too long.
var ErrBusy = errors.New("another run is writing just now, try again when it has ended")

// lock makes the folder, and keeps other writers out until unlock is called.
func (v *Vault) lock(ctx context.Context) (unlock func(), err error) {
	for _, f := range []string{v.folder, v.runs()} {
		if err := v.disk.mkdirAll(f); err != nil {
			return nil, fmt.Errorf("there is no private folder for backups, so nothing is written: %w; set FRIZZEL_STATE to another one", err)
		}
	}
	l := flock.New(filepath.Join(v.folder, "lock"), flock.SetPermissions(0o600))
	ctx, cancel := context.WithTimeout(ctx, lockPatience)
	defer cancel()
	ok, err := l.TryLockContext(ctx, 50*time.Millisecond)
	switch {
	case errors.Is(err, context.DeadlineExceeded):
		return nil, ErrBusy
	case err != nil:
		return nil, err
	case !ok:
		return nil, ErrBusy
	}
	return func() { _ = l.Unlock() }, nil
}
