package main

import (
	"bytes"
	"encoding/base64"
	"flag"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/rogpeppe/go-internal/testscript"
	"github.com/stretchr/testify/require"
	"golang.org/x/text/encoding/ianaindex"
)

// update says that what the program prints now is what it is to print, to be read in a diff.
var update = flag.Bool("update", false, "write what is printed into testdata")

// binary is the program under test, built as users build it.
var binary string

func TestMain(m *testing.M) {
	os.Exit(func() int {
		dir, err := os.MkdirTemp("", "frizzel-test-")
		if err != nil {
			panic(err)
		}
		defer os.RemoveAll(dir)
		_ = os.Setenv("XDG_CONFIG_HOME", filepath.Join(dir, "config")) // nobody's settings
		binary = filepath.Join(dir, "frizzel")
		build := exec.Command("go", "build", "-o", binary, ".")
		build.Env = append(os.Environ(), "CGO_ENABLED=0")
		if out, err := build.CombinedOutput(); err != nil {
			fmt.Fprintf(os.Stderr, "%s\n", out)
			return 1
		}
		defer endGuards()
		return m.Run()
	}())
}

// endGuards ends the guards of the tests' runs on hold: they would wait for files that are gone.
func endGuards() {
	all, _ := filepath.Glob("/proc/[0-9]*/cmdline")
	for _, path := range all {
		line, err := os.ReadFile(path)
		pid, number := strconv.Atoi(filepath.Base(filepath.Dir(path)))
		if err == nil && number == nil && strings.HasPrefix(string(line), binary+"\x00guard\x00") {
			_ = syscall.Kill(pid, syscall.SIGKILL)
		}
	}
}

// watchSources looks at the program's sources, which the program under test is built of
// but this one need not be: go test reuses a result only where what it looked at is the same.
func watchSources() {
	for _, top := range []string{"../../cmd", "../../core", "../../demo", "../../internal"} {
		err := filepath.WalkDir(top, func(path string, _ fs.DirEntry, err error) error {
			if err == nil {
				_, err = os.Stat(path)
			}
			return err
		})
		if err != nil {
			panic(err)
		}
	}
}

// TestScripts runs every file in testdata: commands and what they must print.
func TestScripts(t *testing.T) {
	watchSources()
	testscript.Run(t, testscript.Params{
		Dir:                 "testdata",
		RequireExplicitExec: true,
		UpdateScripts:       *update,
		Setup: func(env *testscript.Env) error {
			env.Setenv("PATH", filepath.Dir(binary)+string(os.PathListSeparator)+os.Getenv("PATH"))
			env.Setenv("FRIZZEL_STATE", filepath.Join(env.WorkDir, ".state"))
			env.Setenv("XDG_CONFIG_HOME", filepath.Join(env.WorkDir, ".config"))
			return nil
		},
		Condition: func(cond string) (bool, error) {
			if cond == "root" {
				return os.Geteuid() == 0, nil
			}
			return false, fmt.Errorf("unknown condition %q", cond)
		},
		Cmds: map[string]func(*testscript.TestScript, bool, []string){
			"frizzel": runFrizzel,
			"decode":  decode,
			"guard":   endGuard,
			"base64":  unpack,
		},
	})
}

// runFrizzel is `frizzel STATUS ARG…`: the program must exit with that status.
func runFrizzel(ts *testscript.TestScript, neg bool, args []string) {
	if neg || len(args) == 0 {
		ts.Fatalf("usage: frizzel STATUS ARG...")
	}
	err := ts.Exec(binary, args[1:]...)
	status := "0"
	if exit, ok := err.(*exec.ExitError); ok {
		status = fmt.Sprint(exit.ExitCode())
	} else if err != nil {
		ts.Fatalf("%v", err)
	}
	if status != args[0] {
		ts.Fatalf("exit status %s, want %s", status, args[0])
	}
}

// endGuard is `guard SIGNAL`: whoever watches over runs on hold here is sent the signal, and
// waited for.
func endGuard(ts *testscript.TestScript, _ bool, args []string) {
	for _, pid := range guardsOf(ts.Getenv("FRIZZEL_STATE")) {
		process, err := os.FindProcess(pid)
		ts.Check(err)
		_ = process.Signal(map[string]os.Signal{"TERM": syscall.SIGTERM, "KILL": syscall.SIGKILL}[args[0]])
		for process.Signal(syscall.Signal(0)) == nil {
			if state, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", pid)); err != nil || bytes.Contains(state, []byte(") Z ")) {
				break
			}
			time.Sleep(5 * time.Millisecond)
		}
	}
}

// guardsOf finds the processes that watch over runs of a store.
func guardsOf(state string) (pids []int) {
	all, _ := filepath.Glob("/proc/[0-9]*/environ")
	for _, path := range all {
		environ, _ := os.ReadFile(path)
		command, _ := os.ReadFile(filepath.Join(filepath.Dir(path), "cmdline"))
		if bytes.Contains(environ, []byte("FRIZZEL_STATE="+state+"\x00")) && bytes.Contains(command, []byte("frizzel\x00guard\x00")) {
			var pid int
			if _, err := fmt.Sscanf(path, "/proc/%d/", &pid); err == nil {
				pids = append(pids, pid)
			}
		}
	}
	return pids
}

// decode is `decode ENCODING FILE`: the file's text goes to the file decoded, as UTF-8.
func decode(ts *testscript.TestScript, _ bool, args []string) {
	e, err := ianaindex.IANA.Encoding(args[0])
	ts.Check(err)
	text, err := e.NewDecoder().String(ts.ReadFile(args[1]))
	ts.Check(err)
	ts.Check(os.WriteFile(ts.MkAbs("decoded"), []byte(text), 0o644))
}

// unpack is `base64 FILE TO`: what the file holds, decoded, is written to another one.
func unpack(ts *testscript.TestScript, _ bool, args []string) {
	raw, err := base64.StdEncoding.DecodeString(strings.TrimSpace(ts.ReadFile(args[0])))
	ts.Check(err)
	ts.Check(os.WriteFile(ts.MkAbs(args[1]), raw, 0o644))
}

// frizzel runs the program in a directory and returns what it printed.
func frizzel(t *testing.T, dir string, args ...string) (stdout, stderr string, status int) {
	t.Helper()
	var out, errs bytes.Buffer
	c := exec.Command(binary, args...)
	c.Dir, c.Stdout, c.Stderr = dir, &out, &errs
	c.Env = append(os.Environ(), "FRIZZEL_STATE="+filepath.Join(filepath.Dir(dir), "state"))
	err := c.Run()
	if _, ok := err.(*exec.ExitError); !ok {
		require.NoError(t, err)
	}
	return out.String(), errs.String(), c.ProcessState.ExitCode()
}
