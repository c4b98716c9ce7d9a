// Package disk gives access to files and directories that are kept open, identified by device and inode,
// and never reached through a link.
//
// A [Dir] is an open directory; its methods take single names, so no link leads out of it, and a link
// in the place of a file is not followed. A [File] is an open regular file. Readers and writers use the
// same calls, and compare the identity of an opened file with the expected one. [System] opens
// directories by path; [Real] is that of the machine, and tests have one that loses unsynced data.
package disk

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"math"
	"os"
	"path/filepath"

	"frizzel/internal/exit"

	"github.com/dustin/go-humanize"
	"golang.org/x/sys/unix"
)

// System opens directories.
type System interface {
	// OpenDir opens a directory by its absolute path. It follows no link in it: the error is then ErrNotDir.
	// A path that a user named is passed through Resolve first.
	OpenDir(path string) (Dir, error)
}

// A Dir is an open directory.
type Dir interface {
	ID() ID
	// Open opens a regular file for reading. The error is ErrNotRegular for anything
	// else, a link among them.
	Open(name string) (File, error)
	// OpenToWrite opens a regular file for writing in place.
	OpenToWrite(name string) (File, error)
	// Create makes a file that is not there yet, its owner's alone.
	Create(name string) (File, error)
	OpenDir(name string) (Dir, error)
	// MakeDir makes a directory that is not there yet.
	MakeDir(name string, mode uint32) error
	Rename(from, to string) error
	// RenameFree is Rename to a name that nothing has, a link included. The error is fs.ErrExist if something has it,
	// and nothing changed. If the system cannot do that at once, a file has both names for a moment, and of a directory the
	// free name is checked right before.
	RenameFree(from, to string) error
	// ReadLink returns the text of a symbolic link.
	ReadLink(name string) (string, error)
	// MakeLink makes a symbolic link that is not there yet.
	MakeLink(target, name string) error
	// ChownLink changes the owner of a symbolic link itself.
	ChownLink(name string, uid, gid int) error
	// MaxName returns the maximum length of a name in bytes.
	MaxName() int
	Remove(name string) error    // a file
	RemoveDir(name string) error // an empty directory
	// Stat returns the attributes of a name. It does not follow a link.
	Stat(name string) (Info, error)
	Names() ([]string, error) // in no order
	// Writable returns why the user may not write a file, by effective rights.
	Writable(name string) error
	// TryLock keeps others from locking the directory, in this program and others, until it
	// is closed. It reports false if another one has it. If directories cannot be
	// locked it does nothing.
	TryLock() (bool, error)
	Chmod(mode uint32) error
	// Sync waits until the names in the directory have reached the disk.
	Sync() error
	// SyncSystem waits until all of the directory's file system has.
	SyncSystem() error
	Close() error
}

// A Lister is a directory that lists its names with their types.
type Lister interface {
	Dir
	// Entries lists the directory, in the order of the names. If it cannot be read whole,
	// the bytes read so far are returned with the error.
	Entries() ([]fs.DirEntry, error)
}

// File is an open regular file.
type File interface {
	Stat() (Info, error)
	ReadAt(p []byte, at int64) (int, error)
	Write(p []byte) (int, error)
	Truncate(size int64) error
	Chmod(mode uint32) error
	Chown(uid, gid int) error
	// Attributes returns the extended attributes that can be read.
	Attributes() (map[string][]byte, error)
	SetAttribute(name string, value []byte) error
	RemoveAttribute(name string) error
	// Hasten begins to bring n bytes to the disk, from at on, if that can be begun, so that a
	// Sync later waits less.
	Hasten(at, n int64)
	// Sync waits until the file's content and attributes have reached the disk.
	Sync() error
	Close() error
}

// ID tells a file or a directory from all others that are there at the same time.
type ID struct {
	Device uint64 `json:"device"`
	Inode  uint64 `json:"inode"`
}

// A Kind is the kind of a directory entry.
type Kind byte

const (
	Regular Kind = iota
	Directory
	Link
	Special
)

// Info describes a file without its content.
type Info struct {
	ID
	Kind     Kind
	Mode     uint32 // permissions, setuid, setgid and sticky
	UID, GID int
	Links    int
	Size     int64 // bytes
	Modified int64 // nanoseconds since 1970, of the content
	Changed  int64 // the same, of anything about the file
}

// Meta has the attributes of a file.
type Meta struct {
	Mode       uint32            `json:"mode"`
	UID        int               `json:"uid"`
	GID        int               `json:"gid"`
	Attributes map[string][]byte `json:"attributes,omitempty"`
}

// Umask returns the permissions that new files must not have. It must not be called while files are made.
func Umask() uint32 {
	mask := unix.Umask(0o077)
	unix.Umask(mask)
	return uint32(mask)
}

// ErrNotRegular is the error if a name is not that of a regular file but, for example, of a link.
var ErrNotRegular = errors.New("not a regular file")

// ErrNotDir is the error if a name, or a part of a path, is not that of a directory but, for example, of a link.
var ErrNotDir = errors.New("not a directory, or behind a link that was not named")

// MetaOf reads what an open file is, besides its content.
func MetaOf(f File, info Info) (Meta, error) {
	attributes, err := f.Attributes()
	return Meta{Mode: info.Mode, UID: info.UID, GID: info.GID, Attributes: attributes}, err
}

// Close closes a file that was only read, and ignores the error.
func Close(c interface{ Close() error }) { _ = c.Close() }

// MaxContent is the size, in bytes, from which on a file is not taken into memory whole.
const MaxContent = 2 << 30

// TooLargeError is the error of a file of MaxContent or more.
type TooLargeError struct{ Size int64 }

// ExitStatus returns Unreadable.
func (*TooLargeError) ExitStatus() exit.Status { return exit.Unreadable }

func (e *TooLargeError) Error() string {
	return fmt.Sprintf("%d bytes are too many to be held at once; %d are the most", e.Size, MaxContent)
}

// TooLongError is the error of a file of the user's, such as a script, that is longer than
// such a file may be.
type TooLongError struct {
	Path string
	Most int64
}

// ExitStatus returns Wrong.
func (*TooLongError) ExitStatus() exit.Status { return exit.Wrong }

func (e *TooLongError) Error() string {
	return fmt.Sprintf("%s is longer than the %s that it may be", e.Path, humanize.IBytes(uint64(e.Most)))
}

// ReadBounded reads a file of at most limit bytes by its path, whatever its kind.
func ReadBounded(path string, limit int64) ([]byte, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer Close(f)
	return ReadStream(f, path, limit)
}

// ReadStream reads at most limit bytes; name is used in messages.
func ReadStream(r io.Reader, name string, limit int64) ([]byte, error) {
	text, err := io.ReadAll(io.LimitReader(r, limit+1))
	if err == nil && int64(len(text)) > limit {
		return nil, &TooLongError{name, limit}
	}
	return text, err
}

// ReadFile returns the content and the attributes of a regular file.
func ReadFile(dir Dir, name string) ([]byte, Info, error) {
	f, err := dir.Open(name)
	if err != nil {
		return nil, Info{}, err
	}
	defer Close(f)
	info, err := f.Stat()
	if err != nil {
		return nil, info, err
	}
	content, err := ReadAll(f, info.Size)
	return content, info, err
}

// ReadAll reads an open file, which most likely is of the size.
func ReadAll(f File, size int64) ([]byte, error) {
	if size >= MaxContent {
		return nil, &TooLargeError{size}
	}
	return ReadRest(f, make([]byte, 0, size+1))
}

// ReadRest appends the rest of an open file to content, the part that was read already.
func ReadRest(f File, content []byte) ([]byte, error) {
	for {
		if len(content) == cap(content) { // it has grown
			content = append(content, 0)[:len(content)]
		}
		n, err := f.ReadAt(content[len(content):cap(content)], int64(len(content)))
		content = content[:len(content)+n]
		switch {
		case errors.Is(err, io.EOF), err == nil && n == 0:
			return content, nil
		case err != nil:
			return nil, err
		case len(content) >= MaxContent:
			return nil, &TooLargeError{int64(len(content))}
		}
	}
}

// Reader reads an open file from its beginning.
func Reader(f File) io.Reader { return io.NewSectionReader(f, 0, math.MaxInt64) }

// Open reads an open file from its beginning, and closes it.
func Open(f File) io.ReadCloser {
	return struct {
		io.Reader
		io.Closer
	}{Reader(f), f}
}

// Hastened is a file that is written from its beginning, and whose bytes are on their way to the
// disk soon after.
type Hastened struct {
	File
	Written int64 // bytes
	begun   int64
}

// hastened is the number of bytes after which writing to the disk is started early.
const hastened = 16 << 20

// Write writes the next bytes.
func (h *Hastened) Write(p []byte) (int, error) {
	n, err := h.File.Write(p)
	h.Written += int64(n)
	if h.Written-h.begun >= hastened {
		h.Hasten(h.begun, h.Written-h.begun)
		h.begun = h.Written
	}
	return n, err
}

// usualMaxName is the maximum length of a name in bytes on most file systems.
const usualMaxName = 255

// Durability says whether written data must survive a crash.
type Durability int

const (
	Synced   Durability = iota // the content is on disk before the call returns; its name may not be
	Unsynced                   // data may be lost in a crash, or be there in part
)

// WriteFile makes a file that is not there yet, its owner's alone.
func WriteFile(dir Dir, name string, content []byte, durability Durability) error {
	f, err := dir.Create(name)
	if err != nil {
		return err
	}
	if _, err = f.Write(content); err == nil && durability == Synced {
		err = f.Sync()
	}
	return errors.Join(err, f.Close())
}

// Missing reports whether an error says that a name is not there.
func Missing(err error) bool { return errors.Is(err, fs.ErrNotExist) }

// RemoveIfThere removes a file, which need not be there.
func RemoveIfThere(dir Dir, name string) error {
	if err := dir.Remove(name); err != nil && !Missing(err) {
		return err
	}
	return nil
}

// MakeDir makes a directory that is not there yet, its name on disk before it returns.
func MakeDir(above Dir, name string, mode uint32) (Dir, error) {
	if err := above.MakeDir(name, mode); err != nil {
		return nil, err
	}
	if err := above.Sync(); err != nil {
		return nil, err
	}
	return above.OpenDir(name)
}

// MakePath opens a directory. It makes the directory and all above it that are missing, their names on disk before it
// returns, and returns the paths of those that it made, the outermost first.
func MakePath(system System, path string, mode uint32) (dir Dir, made []string, err error) {
	dir, err = system.OpenDir(path)
	if !Missing(err) || filepath.Dir(path) == path {
		return dir, nil, err
	}
	above, made, err := MakePath(system, filepath.Dir(path), mode)
	if err != nil {
		return nil, made, err
	}
	defer Close(above)
	dir, err = MakeDir(above, filepath.Base(path), mode)
	if errors.Is(err, fs.ErrExist) { // by someone else at the same time
		dir, err = above.OpenDir(filepath.Base(path))
		return dir, made, err
	}
	return dir, append(made, path), err
}
