package main

import (
	"archive/tar"
	"bytes"
	"crypto/sha256"
	"fmt"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"github.com/goreleaser/nfpm/v2"
	_ "github.com/goreleaser/nfpm/v2/deb" // the two kinds of packages
	"github.com/goreleaser/nfpm/v2/files"
	_ "github.com/goreleaser/nfpm/v2/rpm"
)

func inOrder(all []file) []file {
	slices.SortFunc(all, func(a, b file) int { return strings.Compare(a.path, b.path) })
	return all
}

// write writes a file of the release.
func (r *release) write(name string, content []byte) error {
	path := filepath.Join(r.dir, name)
	if err := os.WriteFile(path, content, 0o644); err != nil {
		return err
	}
	return os.Chtimes(path, r.time, r.time)
}

// archive makes a tar archive of a binary and what goes with it.
func (r *release) archive(name string, binary []byte) error {
	var out bytes.Buffer
	w := tar.NewWriter(&out)
	add := func(f file, mode int64) error {
		err := w.WriteHeader(&tar.Header{
			Name: path.Join(name, f.path), Mode: mode, Size: int64(len(f.content)), ModTime: r.time, Uname: "root", Gname: "root", Format: tar.FormatUSTAR,
		})
		if err == nil {
			_, err = w.Write(f.content)
		}
		return err
	}
	if err := add(file{"bin/frizzel", binary}, 0o755); err != nil {
		return err
	}
	for _, f := range r.shared {
		if err := add(f, 0o644); err != nil {
			return err
		}
	}
	if err := w.Close(); err != nil {
		return err
	}
	content, err := packed(out.Bytes())
	if err != nil {
		return err
	}
	return r.write(name+".tar.gz", content)
}

// pack makes a package of a kind, deb or rpm.
func (r *release) pack(kind, architecture string, binary []byte) error {
	staged, err := os.MkdirTemp("", "frizzel-release-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(staged)
	var contents files.Contents
	add := func(f file, mode os.FileMode) error {
		source := filepath.Join(staged, filepath.FromSlash(f.path))
		if err := os.MkdirAll(filepath.Dir(source), 0o755); err != nil {
			return err
		}
		if err := os.WriteFile(source, f.content, mode); err != nil {
			return err
		}
		contents = append(contents, &files.Content{Source: source, Destination: "/usr/" + f.path, FileInfo: &files.ContentFileInfo{
			Owner: "root", Group: "root", Mode: mode, MTime: r.time,
		}})
		return nil
	}
	if err := add(file{"bin/frizzel", binary}, 0o755); err != nil {
		return err
	}
	for _, f := range r.shared {
		if err := add(f, 0o644); err != nil {
			return err
		}
	}
	info := nfpm.WithDefaults(&nfpm.Info{
		Name: "frizzel", Arch: architecture, Platform: "linux", Version: r.version, Section: "admin", Priority: "optional",
		Maintainer: "Frizzel <frizzel@fernhollow.example>", MTime: r.time, License: "Apache-2.0",
		Description:  "Change text in many files by reusable rules\nPreviews every change as a diff, asks, writes with backups, and takes a whole run\nback on a word.",
		Overridables: nfpm.Overridables{Contents: contents, RPM: nfpm.RPM{BuildHost: "release"}},
	})
	packager, err := nfpm.Get(kind)
	if err != nil {
		return err
	}
	var out bytes.Buffer
	if err := packager.Package(info, &out); err != nil {
		return err
	}
	return r.write(packager.ConventionalFileName(info), out.Bytes())
}

// sums writes the SHA-256 of every file of the release.
func (r *release) sums() error {
	entries, err := os.ReadDir(r.dir)
	if err != nil {
		return err
	}
	var out strings.Builder
	for _, e := range entries {
		content, err := os.ReadFile(filepath.Join(r.dir, e.Name()))
		if err != nil {
			return err
		}
		fmt.Fprintf(&out, "%x  %s\n", sha256.Sum256(content), e.Name())
	}
	return r.write("SHA256SUMS", []byte(out.String()))
}
