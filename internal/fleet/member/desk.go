package member

import (
	"context"
	"crypto/rand"
	"errors"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"time"

	"frizzel/internal/disk"
	"frizzel/internal/exit"
	"frizzel/internal/fleet/wire"
	"frizzel/internal/vault/store"
)

// A desk is where a host keeps the reviews of runs over many hosts: a directory within that of its history.
type desk struct {
	store *store.Store
	run   string
}

// runNames are the names of runs, which become parts of names of files.
var runNames = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^[a-z0-9-]{0,64}$`) })

func (d *desk) named() bool               { return runNames().MatchString(d.run) }
func (d *desk) dir() string               { return filepath.Join(d.store.Path(), store.FleetName) }
func (d *desk) path(suffix string) string { return filepath.Join(d.dir(), d.run+suffix) }
func (d *desk) read(suffix string) string { return readLine(d.path(suffix)) }
func (d *desk) id() string                { return readLine(filepath.Join(d.dir(), idName)) }
func (d *desk) has(suffix string) bool    { _, err := os.Lstat(d.path(suffix)); return err == nil }
func (d *desk) remove(suffixes ...string) {
	for _, s := range suffixes {
		_ = os.Remove(d.path(s))
	}
}

// Names in the directory; those of a run begin with its name.
const (
	idName       = "id"
	sealSuffix   = ".seal"
	digestSuffix = ".digest"
	failedSuffix = ".failed" // why a write was put back
)

// maxAge is how long a review is kept that nobody writes.
const maxAge = 24 * time.Hour

// forget removes the review.
func (d *desk) forget() { d.remove(sealSuffix, digestSuffix, failedSuffix) }

func readLine(path string) string {
	text, err := disk.ReadBounded(path, 4<<10)
	if err != nil {
		return ""
	}
	return strings.TrimSpace(string(text))
}

// open makes the directory and its identity, and removes old reviews.
func (d *desk) open(ctx context.Context) error {
	if d.id() == "" {
		l, err := d.store.Lock(ctx) // which makes the directory of the history, or refuses one that is not private
		if err != nil {
			return err
		}
		defer l.Unlock()
		if err := os.Mkdir(d.dir(), 0o700); err != nil && !errors.Is(err, fs.ErrExist) {
			return err
		}
		if err := d.save(filepath.Join(d.dir(), idName), text(strings.ToLower(rand.Text())+"\n")); err != nil {
			return err
		}
	}
	names, err := os.ReadDir(d.dir())
	for _, n := range names {
		info, err := n.Info()
		if err == nil && n.Name() != idName && n.Type().IsRegular() && time.Since(info.ModTime()) > maxAge {
			_ = os.Remove(filepath.Join(d.dir(), n.Name()))
		}
	}
	return err
}

// text is an io.WriterTo.
type text string

func (t text) WriteTo(out io.Writer) (int64, error) {
	n, err := io.WriteString(out, string(t))
	return int64(n), err
}

// save writes a file as a whole, on disk when it returns.
func (d *desk) save(path string, from io.WriterTo) error {
	fresh := path + ".new"
	_ = os.Remove(fresh)
	f, err := os.OpenFile(fresh, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	_, err = from.WriteTo(f)
	err = errors.Join(err, f.Sync(), f.Close())
	if err == nil {
		err = os.Rename(fresh, path)
	}
	return err
}

// greeting returns the first line.
func greeting(program string, d *desk) wire.Greeting {
	g := wire.Greeting{Fleet: wire.Version, Program: program, Boot: disk.Boot(), Store: d.id()}
	g.Machine = readLine("/etc/machine-id")
	if g.Machine == "" {
		g.Machine, _ = os.Hostname()
	}
	return g
}

// keep stores a review and its digest.
func (d *desk) keep(review io.WriterTo, digest string) error {
	d.forget()
	if err := d.save(d.path(sealSuffix), review); err != nil {
		return err
	}
	return d.save(d.path(digestSuffix), text(digest+"\n"))
}

// asKept returns an error if the review that is kept does not have a digest.
func (d *desk) asKept(digest string) error {
	switch kept := d.read(digestSuffix); {
	case kept == "" || !d.has(sealSuffix):
		return unknownRun(d.run)
	case kept != digest:
		return exit.Refusedf("the review that is kept here is another one than was shown")
	}
	return nil
}
