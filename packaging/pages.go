package main

import (
	"bytes"
	"compress/gzip"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/cobra/doc"

	"frizzel/internal/cli"
)

// pages makes the manual pages of all commands, and the completions of the binary that runs here.
func (r *release) pages(binaries string) (all []file, err error) {
	err = each(cli.Command(), func(c *cobra.Command) error {
		head := &doc.GenManHeader{Section: "1", Date: &r.time, Source: "Frizzel " + r.version, Manual: "Frizzel"}
		var page bytes.Buffer
		c.DisableAutoGenTag = true
		if err := doc.GenMan(c, head, &page); err != nil {
			return err
		}
		packed, err := packed(page.Bytes())
		all = append(all, file{"share/man/man1/" + strings.ReplaceAll(c.CommandPath(), " ", "-") + ".1.gz", packed})
		return err
	})
	if err != nil {
		return nil, err
	}
	binary := filepath.Join(binaries, fmt.Sprintf("frizzel-%s-%s", runtime.GOOS, runtime.GOARCH))
	for shell, path := range map[string]string{
		"bash": "share/bash-completion/completions/frizzel", "zsh": "share/zsh/site-functions/_frizzel", "fish": "share/fish/vendor_completions.d/frizzel.fish",
	} {
		out, err := exec.Command(binary, "completion", shell).Output()
		if err != nil {
			return nil, fmt.Errorf("%s completion %s: %w", binary, shell, err)
		}
		all = append(all, file{path, out})
	}
	for _, page := range []string{"../README.md", "../CHANGELOG.md", "../SECURITY.md", "../LICENSE", filepath.Join(binaries, "NOTICES")} {
		text, err := os.ReadFile(page)
		if err != nil {
			return nil, err
		}
		all = append(all, file{"share/doc/frizzel/" + filepath.Base(page), text})
	}
	return inOrder(all), nil
}

// each calls do with a command and all below it that are shown.
func each(c *cobra.Command, do func(*cobra.Command) error) error {
	if err := do(c); err != nil {
		return err
	}
	for _, sub := range c.Commands() {
		if sub.Hidden || sub.IsAdditionalHelpTopicCommand() || sub.Name() == "help" && c.HasParent() {
			continue
		}
		if err := each(sub, do); err != nil {
			return err
		}
	}
	return nil
}

// packed compresses a text, without a name or a time.
func packed(text []byte) ([]byte, error) {
	var out bytes.Buffer
	w, err := gzip.NewWriterLevel(&out, gzip.BestCompression)
	if err != nil {
		return nil, err
	}
	if _, err := w.Write(text); err != nil {
		return nil, err
	}
	err = w.Close()
	return out.Bytes(), err
}
