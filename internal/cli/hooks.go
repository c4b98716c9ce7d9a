package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"strings"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"frizzel/internal/vault"
)

// writeFlags say what happens around the writing of files.
type writeFlags struct {
	note, beside, into string
	proveFile, prove   string
	after              string
	proofTime          time.Duration
	hold               time.Duration
	tellChanged        bool
	skipUnreadable     bool
}

func (f *writeFlags) add(c *cobra.Command) {
	fl := c.Flags()
	fl.StringVar(&f.note, "note", "", "a `text` to keep with the run, such as a ticket's number")
	fl.StringVar(&f.beside, "beside", "", "also leave each old file beside the new one, its name ending in this `suffix`")
	fl.StringVar(&f.into, "into", "", "write the changed files into this `folder`, and leave the originals")
	fl.StringVar(&f.proveFile, "prove-file", "", "a `command` that must succeed for each new file before any is live; {=path} is its staged copy")
	fl.StringVar(&f.prove, "prove", "", "a `command` that must succeed when all files are live; else everything is put back")
	fl.DurationVar(&f.proofTime, "prove-time", time.Minute, "how long a proof may take")
	fl.StringVar(&f.after, "after", "", "a `command` to run once files have changed, and again if they are put back")
	fl.DurationVar(&f.hold, "hold", 0, "put everything back after this `time`, such as 5m, unless \"frizzel keep RUN\" is said before")
	fl.BoolVar(&f.tellChanged, "tell-changed", false, "exit with status 5 where something was written")
	fl.BoolVar(&f.skipUnreadable, "skip-unreadable", false, "leave out files that cannot be read, and go on")
}

// intent fills in what the flags ask of the vault.
func (f *writeFlags) intent(a *app, i vault.Intent) vault.Intent {
	i.Note, i.Beside, i.After = f.note, f.beside, f.after
	if f.hold > 0 {
		i.Hold = time.Now().Add(f.hold)
	}
	if f.proveFile != "" {
		i.ProveFile = func(ctx context.Context, path, staged string) error {
			return a.proof(ctx, strings.ReplaceAll(f.proveFile, "{=path}", quoteForShell(staged)), "of "+path, f.proofTime)
		}
	}
	if f.prove != "" {
		i.Prove = func(ctx context.Context) error { return a.proof(ctx, f.prove, "", f.proofTime) }
	}
	return i
}

// proofError is the error of a proof that failed, or took too long.
type proofError struct{ what string }

func (e *proofError) Error() string { return e.what + "; everything is as before" }

// proof runs a command that must succeed in time, its output shown.
func (a *app) proof(ctx context.Context, command, of string, limit time.Duration) error {
	ctx, cancel := context.WithTimeout(ctx, limit)
	defer cancel()
	c := shell(ctx, command)
	out, err := c.CombinedOutput()
	if err == nil {
		return nil
	}
	_, _ = a.Err.Write(out)
	if ctx.Err() == context.DeadlineExceeded {
		return &proofError{strings.TrimSpace(fmt.Sprintf("the proof %s took longer than %s", of, limit))}
	}
	return &proofError{strings.TrimSpace(fmt.Sprintf("the proof %s failed: %v", of, err))}
}

// shell makes a command of what a person wrote for one. Where it is ended, all that
// it started is.
func shell(ctx context.Context, command string) *exec.Cmd {
	c := exec.CommandContext(ctx, "/bin/sh", "-c", command)
	c.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	c.Cancel = func() error { return syscall.Kill(-c.Process.Pid, syscall.SIGKILL) }
	c.WaitDelay = time.Second
	return c
}

// afterwards runs the command that is to follow a change, in the folder where the
// change was first made, "" for the current one. What was written stays written,
// whatever comes of it.
func (a *app) afterwards(ctx context.Context, command, folder string) {
	if command == "" {
		return
	}
	c := shell(ctx, command)
	c.Dir = folder
	c.Stdout, c.Stderr = a.Err, a.Err
	if err := c.Run(); err != nil {
		fmt.Fprintf(a.Err, "frizzel: the command after the change failed: %v; the files stay changed\n", err)
	}
}

func quoteForShell(s string) string { return "'" + strings.ReplaceAll(s, "'", `'\''`) + "'" }

// guard starts a program of its own session that puts a run back when its time is
// over; it outlives this one, its terminal and its parent.
func (a *app) guard(id string) error {
	self, err := os.Executable()
	if err != nil {
		return err
	}
	folder, err := vault.DefaultFolder()
	if err != nil {
		return err
	}
	c := exec.Command(self, "guard", id)
	c.Env = append(os.Environ(), "FRIZZEL_STATE="+folder)
	c.Dir = "/"
	c.SysProcAttr = &syscall.SysProcAttr{Setsid: true}
	if err := c.Start(); err != nil {
		return err
	}
	return c.Process.Release()
}

// guardCommand waits for a run's time to be over, and puts it back unless it was
// kept.
func (a *app) guardCommand() *cobra.Command {
	return &cobra.Command{
		Use:    "guard RUN",
		Hidden: true,
		Args:   cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			v, r, err := namedRun(args[0])
			if err != nil {
				return err
			}
			for time.Now().Before(r.Hold) {
				if v.Kept(r) {
					return nil
				}
				time.Sleep(min(time.Until(r.Hold), 500*time.Millisecond))
			}
			if v.Kept(r) {
				return nil
			}
			for { // another run may be writing just now
				err := a.putBack(context.Background(), v, r)
				if !errors.Is(err, vault.ErrBusy) {
					return err
				}
			}
		},
	}
}

// putBack takes a whole run back without a question, as nobody kept it.
func (a *app) putBack(ctx context.Context, v *vault.Vault, r *vault.Record) error {
	changes, _, err := v.Reverse(r, vault.Reversal{})
	if err != nil || len(changes) == 0 {
		return err
	}
	_, err = v.Write(ctx, vault.Intent{
		Kind: vault.Undo, Undoes: r.ID, Command: os.Args, Rules: r.Rules, Changes: r.Changes,
		Note: "nobody kept run " + r.ID, After: r.After,
	}, changes)
	if err == nil {
		a.afterwards(ctx, r.After, string(r.Folder))
	}
	return err
}

// overdue puts back what was on hold, is not kept, and whose guard is gone, such as
// after the machine went down.
func (a *app) overdue(ctx context.Context, v *vault.Vault) error {
	held, err := v.Held()
	if err != nil || len(held) == 0 {
		return err
	}
	records, err := v.Runs()
	if err != nil {
		return err
	}
	undone := vault.Undone(records)
	const grace = 5 * time.Second // for a guard that is at it just now
	for _, r := range held {
		if r.State != vault.Done || time.Since(r.Hold) < grace || undone[r.ID] > 0 {
			continue
		}
		if err := a.putBack(ctx, v, r); err != nil {
			return err
		}
		fmt.Fprintf(a.Err, "run %s was on hold and nobody kept it; its files were put back first\n", r.ID)
	}
	return nil
}

func openVault() (*vault.Vault, error) {
	folder, err := vault.DefaultFolder()
	if err != nil {
		return nil, err
	}
	return vault.Open(folder), nil
}
