// Package hook runs the user's commands around the writing of files: proofs, which can refuse a change,
// commands that follow a change, and the guard process of a run on hold.
package hook

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"time"

	"github.com/kballard/go-shellquote"

	"frizzel/internal/exit"
	"frizzel/internal/vault/store"
)

// ProofError is the error of a proof that failed, or took too long.
type ProofError struct{ what string }

// ExitStatus returns Refused.
func (*ProofError) ExitStatus() exit.Status { return exit.Refused }

func (e *ProofError) Error() string { return e.what }

// A Proof is a command that must succeed in time.
type Proof struct {
	Command string        // for a shell; proves all files at once
	Words   []string      // a program and its arguments; proves one file
	Limit   time.Duration // per call
	Out     io.Writer     // receives the output of a failing command
}

// pathHole is replaced by the path of a staged copy.
const pathHole = "{=path}"

// ParseProof splits the command of a proof for single files into words, as a shell does. It is started without a shell,
// since a path may have any characters. The error is one of the command line.
func ParseProof(command string) ([]string, error) {
	words, err := shellquote.Split(command)
	if err != nil {
		return nil, exit.Wrongf("--prove-file: %v: %s", err, command)
	}
	for i, w := range words {
		switch {
		case slices.Contains([]string{"|", "||", "&&", ";", "&", ">", ">>", "<", "2>&1"}, w) || strings.HasSuffix(w, ";"):
			return nil, exit.Wrongf("--prove-file starts a program without a shell, so %s has no meaning there; write the commands to a script and name that", w)
		case i > 1 && words[i-1] == "-c" && slices.Contains([]string{"sh", "bash", "dash", "ksh", "zsh"}, filepath.Base(words[0])) && strings.Contains(w, pathHole):
			return nil, exit.Wrongf(`--prove-file: a path within a shell's command could be a command itself; pass it as an argument, as in: sh -c 'grep depot "$1"' sh {=path}`)
		}
	}
	return words, nil
}

// All runs the command; it proves all files at once.
func (p Proof) All(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, p.Limit)
	defer cancel()
	return p.run(ctx, shell(ctx, p.Command), "the proof")
}

// File runs the program for one file. {=path} in its arguments is replaced by the path of the file's staged copy.
func (p Proof) File(ctx context.Context, path, staged string) error {
	ctx, cancel := context.WithTimeout(ctx, p.Limit)
	defer cancel()
	var words []string
	for _, w := range p.Words {
		words = append(words, strings.ReplaceAll(w, pathHole, staged))
	}
	return p.run(ctx, command(ctx, words...), "the proof of "+path)
}

func (p Proof) run(ctx context.Context, c *exec.Cmd, name string) error {
	out, err := c.CombinedOutput()
	if err == nil || errors.Is(err, exec.ErrWaitDelay) { // it succeeded, and left a process that has its output
		return nil
	}
	_, _ = p.Out.Write(out)
	if errors.Is(ctx.Err(), context.DeadlineExceeded) {
		return &ProofError{fmt.Sprintf("%s took longer than %s", name, p.Limit)}
	}
	if errors.Is(ctx.Err(), context.Canceled) {
		return ctx.Err()
	}
	return &ProofError{fmt.Sprintf("%s failed: %v", name, err)}
}

// shell returns a command that runs a shell's command line.
func shell(ctx context.Context, line string) *exec.Cmd { return command(ctx, "/bin/sh", "-c", line) }

// command returns a command that starts a program. When it is killed, so are all processes that it started.
func command(ctx context.Context, words ...string) *exec.Cmd {
	c := exec.CommandContext(ctx, words[0], words[1:]...)
	c.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	c.Cancel = func() error { return syscall.Kill(-c.Process.Pid, syscall.SIGKILL) }
	c.WaitDelay = time.Second
	return c
}

// Quote quotes a word for a shell. Single quotes can contain every character except themselves, while quoting
// functions of libraries refuse some.
func Quote(s string) string {
	if s != "" && strings.Trim(s, "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-_./:,=@%+") == "" {
		return s
	}
	return "'" + strings.ReplaceAll(s, "'", `'\''`) + "'"
}

// After runs a command after a change, in the directory where the change was made first, or in the current one if
// dir is "". The written files stay even if it fails.
func After(ctx context.Context, command, dir string, out io.Writer) {
	if command == "" {
		return
	}
	c := shell(ctx, command)
	c.Dir = dir
	c.Stdout, c.Stderr = out, out
	if err := c.Run(); err != nil {
		_, _ = fmt.Fprintf(out, "frizzel: the command after the change failed: %v; the files stay changed\n", err)
	}
}

// Guard starts a program of its own session that watches a run on hold of the store, and
// returns when it does; it outlives this one, its terminal and its parent.
func Guard(s *store.Store, id string) error {
	self, err := os.Executable()
	if err != nil {
		return err
	}
	ready, watching, err := os.Pipe()
	if err != nil {
		return err
	}
	defer ready.Close()
	c := exec.Command(self, "guard", id)
	c.Env = append(os.Environ(), "FRIZZEL_STATE="+s.Path())
	c.Dir = "/"
	c.Stdout = watching
	c.SysProcAttr = &syscall.SysProcAttr{Setsid: true}
	err = c.Start()
	_ = watching.Close()
	if err != nil {
		return err
	}
	if n, err := io.ReadFull(ready, make([]byte, 1)); n == 0 {
		return fmt.Errorf("the guard ended at once: %w", err)
	}
	return c.Process.Release()
}
