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
	"strings"
	"syscall"
	"time"

	"frizzel/internal/exit"
	"frizzel/internal/vault/store"
)

// ProofError is the error of a proof that failed, or took too long.
type ProofError struct{ what string }

// ExitStatus returns Refused.
func (*ProofError) ExitStatus() exit.Status { return exit.Refused }

func (e *ProofError) Error() string { return e.what }

// Proof is a command that must succeed in time.
type Proof struct {
	Command string
	Limit   time.Duration
	Out     io.Writer // receives the output of a failing command
}

// All runs the command; it proves all files at once.
func (p Proof) All(ctx context.Context) error { return p.run(ctx, p.Command, "the proof") }

// File runs the command for one file. {=path} is replaced by the path of its staged copy.
func (p Proof) File(ctx context.Context, path, staged string) error {
	return p.run(ctx, strings.ReplaceAll(p.Command, "{=path}", Quote(staged)), "the proof of "+path)
}

func (p Proof) run(ctx context.Context, command, name string) error {
	ctx, cancel := context.WithTimeout(ctx, p.Limit)
	defer cancel()
	out, err := shell(ctx, command).CombinedOutput()
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

// shell returns a command that runs a shell command line. When it is killed, so are all processes that it
// started.
func shell(ctx context.Context, command string) *exec.Cmd {
	c := exec.CommandContext(ctx, "/bin/sh", "-c", command)
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
