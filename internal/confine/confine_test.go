package confine

import (
	"bufio"
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// A process that gave up its rights reads everything it could, writes its outputs and temporary files, and can neither
// write, make, remove nor rename anything else, nor start a program, nor use TCP. It tells so itself, in a process of its own.
func TestConfined(t *testing.T) {
	if Enforced() == "" {
		t.Skip("this system confines nothing")
	}
	if os.Getenv("CONFINED") != "" {
		confined()
	}
	dir := t.TempDir()
	for _, name := range []string{"read", "out"} {
		require.NoError(t, os.MkdirAll(filepath.Join(dir, name), 0o755))
	}
	require.NoError(t, os.WriteFile(filepath.Join(dir, "read", "file"), []byte("depot-3\n"), 0o644))
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer listener.Close()
	c := exec.Command(os.Args[0], "-test.run", "^TestConfined$")
	c.Env = append(os.Environ(), "CONFINED="+dir, "ADDRESS="+listener.Addr().String(), "TMPDIR="+t.TempDir())
	out, err := c.Output()
	require.NoError(t, err, string(out))
	lines := bufio.NewScanner(strings.NewReader(string(out)))
	told := map[string]string{}
	for lines.Scan() {
		what, how, ok := strings.Cut(lines.Text(), ": ")
		require.True(t, ok, string(out))
		told[what] = how
	}
	require.Equal(t, map[string]string{
		"read": "done", "list": "done", "output": "done", "temporary": "done", "end": "done",
		"write": "denied", "make": "denied", "remove": "denied", "rename": "denied", "link": "denied", "directory": "denied",
		"program": "denied", "connect": "denied",
	}, told)
}

func confined() {
	dir := os.Getenv("CONFINED")
	c, err := Begin(filepath.Join(dir, "out", "page.html"), "")
	if err != nil {
		fmt.Println(err)
		os.Exit(1)
	}
	say := func(what string, err error) {
		how := "done"
		if errors.Is(err, os.ErrPermission) || err != nil && strings.Contains(err.Error(), "cross-device") {
			how = "denied"
		} else if err != nil {
			how = err.Error()
		}
		fmt.Printf("%s: %s\n", what, how)
	}
	file := filepath.Join(dir, "read", "file")
	_, err = os.ReadFile(file)
	say("read", err)
	_, err = os.ReadDir(dir)
	say("list", err)
	say("output", os.WriteFile(filepath.Join(dir, "out", "page.html"), nil, 0o600))
	f, err := os.CreateTemp("", "")
	if err == nil {
		_, err = f.WriteString("x")
		err = errors.Join(err, os.Remove(f.Name()), f.Close())
	}
	say("temporary", err)
	say("write", os.WriteFile(file, []byte("x"), 0o644))
	say("make", os.WriteFile(filepath.Join(dir, "read", "new"), nil, 0o644))
	say("remove", os.Remove(file))
	say("rename", os.Rename(file, file+"-2"))
	say("link", os.Link(file, filepath.Join(dir, "out", "hard")))
	say("directory", os.Mkdir(filepath.Join(dir, "read", "d"), 0o755))
	say("program", exec.Command("/bin/sh", "-c", "true").Run())
	conn, err := net.Dial("tcp", os.Getenv("ADDRESS"))
	if conn != nil {
		_ = conn.Close()
	}
	say("connect", err)
	private := c.private
	c.End()
	_, err = os.Stat(private)
	if errors.Is(err, os.ErrNotExist) {
		err = nil
	} else if err == nil {
		err = errors.New("the private directory stays")
	}
	say("end", err)
	os.Exit(0)
}
