package main

import (
	"bufio"
	"fmt"
	"io"
	"os"
	"os/exec"
	"os/signal"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/creack/pty"
	"github.com/hinshun/vt10x"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// patience is how long a test waits for what comes at once on a machine that has nothing else to do.
const patience = time.Minute

// terminal is the program at work at a terminal of its own.
type terminal struct {
	t    testing.TB
	cmd  *exec.Cmd
	file *os.File

	mu   sync.Mutex
	seen strings.Builder
	vt   vt10x.Terminal // what a person sees
}

// atTerminal starts the program with a terminal of 80 by 24.
func atTerminal(t testing.TB, dir string, args ...string) *terminal {
	t.Helper()
	return atTerminalOf(t, 80, 24, dir, args...)
}

func atTerminalOf(t testing.TB, columns, rows int, dir string, args ...string) *terminal {
	t.Helper()
	c := exec.Command(binary, args...)
	c.Dir = dir
	c.Env = append(os.Environ(), "FRIZZEL_STATE="+filepath.Join(filepath.Dir(dir), "state"), "TERM=xterm-256color", "NO_COLOR=1")
	file, err := pty.StartWithSize(c, &pty.Winsize{Rows: uint16(rows), Cols: uint16(columns)})
	require.NoError(t, err)
	term := &terminal{t: t, cmd: c, file: file, vt: vt10x.New(vt10x.WithSize(columns, rows))}
	go func() {
		var b [4096]byte
		for {
			n, err := file.Read(b[:])
			term.mu.Lock()
			term.seen.Write(b[:n])
			_, _ = term.vt.Write(b[:n])
			term.mu.Unlock()
			if err != nil {
				return
			}
		}
	}()
	t.Cleanup(func() { _ = c.Process.Kill(); _ = file.Close() })
	return term
}

func (term *terminal) screen() string {
	term.mu.Lock()
	defer term.mu.Unlock()
	return term.seen.String()
}

// expect waits until the terminal shows text, and forgets what came before its end.
func (term *terminal) expect(text string) {
	term.t.Helper()
	require.Eventually(term.t, func() bool { return strings.Contains(term.screen(), text) },
		patience, 5*time.Millisecond, "waiting for %q", text)
	term.mu.Lock()
	defer term.mu.Unlock()
	_, rest, _ := strings.Cut(term.seen.String(), text)
	term.seen.Reset()
	term.seen.WriteString(rest)
}

// shows waits until all of the texts stand on the screen.
func (term *terminal) shows(texts ...string) {
	term.t.Helper()
	now := ""
	if !assert.Eventually(term.t, func() bool {
		term.mu.Lock()
		defer term.mu.Unlock()
		now = term.vt.String()
		for _, text := range texts {
			if !strings.Contains(now, text) {
				return false
			}
		}
		return true
	}, patience, 5*time.Millisecond) {
		require.Fail(term.t, "the screen never shows it", "%q\n%s", texts, now)
	}
}

func (term *terminal) press(keys string) {
	term.t.Helper()
	_, err := term.file.WriteString(keys)
	require.NoError(term.t, err)
}

// ends waits for the program's exit status.
func (term *terminal) ends(status int) {
	term.t.Helper()
	done := make(chan struct{})
	go func() { _ = term.cmd.Wait(); close(done) }()
	select {
	case <-done:
		require.Equal(term.t, status, term.cmd.ProcessState.ExitCode(), term.screen())
	case <-time.After(patience):
		require.Fail(term.t, "the program does not end", term.screen())
	}
}

// numbered makes a directory of files 1.txt, 2.txt … that hold "depot-3".
func numbered(t *testing.T, n int) (dir string, read func(name string) string) {
	dir = filepath.Join(t.TempDir(), "tree")
	require.NoError(t, os.Mkdir(dir, 0o755))
	for i := range n {
		name := filepath.Join(dir, string(rune('1'+i))+".txt")
		require.NoError(t, os.WriteFile(name, []byte("host = depot-3\n"), 0o644))
	}
	return dir, func(name string) string {
		content, err := os.ReadFile(filepath.Join(dir, name))
		require.NoError(t, err)
		return string(content)
	}
}

func TestAskingAboutEachFile(t *testing.T) {
	change := []string{"apply", "--ask", "file", "--word", "depot-3", "--with", "depot-4", "."}
	const old, fresh = "host = depot-3\n", "host = depot-4\n"

	t.Run("yes, no, help and the rest", func(t *testing.T) {
		dir, read := numbered(t, 5)
		term := atTerminal(t, dir, change...)
		term.expect("+host = depot-4")
		term.expect("1.txt (file 1 of 5): write 1 change?")
		term.press("y")
		term.expect("2.txt (file 2 of 5): write 1 change?")
		term.press("?")
		term.expect("leave this one as it is")
		term.expect("2.txt (file 2 of 5): write 1 change?")
		term.press("n")
		term.expect("3.txt (file 3 of 5): write 1 change?")
		require.Equal(t, old, read("1.txt"), "written before the last answer")
		term.press("r")
		term.expect("4 files written")
		term.ends(0)
		require.Equal(t, fresh+old+fresh+fresh+fresh, read("1.txt")+read("2.txt")+read("3.txt")+read("4.txt")+read("5.txt"))

		undo := atTerminal(t, dir, "undo")
		undo.expect("+host = depot-3")
		undo.expect("1.txt: put back?")
		undo.press("n")
		undo.expect("3.txt: put back?")
		undo.press("r")
		undo.expect("3 files written")
		undo.ends(0)
		require.Equal(t, fresh+old+old+old+old, read("1.txt")+read("2.txt")+read("3.txt")+read("4.txt")+read("5.txt"))
	})
	t.Run("stop and keep", func(t *testing.T) {
		dir, read := numbered(t, 3)
		term := atTerminal(t, dir, change...)
		term.expect("1.txt (file")
		term.press("y")
		term.expect("2.txt (file")
		term.press("s")
		term.expect("Write the 1 change in 1 file taken so far?")
		term.press("y")
		term.expect("1 file written")
		term.ends(0)
		require.Equal(t, fresh+old+old, read("1.txt")+read("2.txt")+read("3.txt"))
	})
	t.Run("stop and drop, Ctrl-C, a lost terminal", func(t *testing.T) {
		lost := func(term *terminal) { _ = term.cmd.Process.Signal(syscall.SIGHUP) }
		if signal.Ignored(syscall.SIGHUP) { // as the program then does, which whoever started this wants
			lost = func(term *terminal) { _ = term.cmd.Process.Signal(syscall.SIGTERM) }
		}
		for _, leave := range []func(*terminal){
			func(term *terminal) { term.press("s"); term.expect("taken so far?"); term.press("n") },
			func(term *terminal) { term.press("\x03") },
			lost,
		} {
			dir, read := numbered(t, 2)
			term := atTerminal(t, dir, change...)
			term.expect("1.txt (file")
			term.press("y")
			term.expect("2.txt (file")
			leave(term)
			done := make(chan struct{})
			go func() { _ = term.cmd.Wait(); close(done) }()
			select {
			case <-done:
			case <-time.After(patience):
				require.Fail(t, "the program does not end")
			}
			require.Equal(t, old+old, read("1.txt")+read("2.txt"))
		}
	})
}

// What a file holds never drives the terminal.
func TestControlCharactersAreShown(t *testing.T) {
	dir, _ := numbered(t, 0)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "e\x1b[31mvil"), []byte("\x1b[31mdepot-3\x07\x9b\r\n"), 0o644))
	term := atTerminal(t, dir, "preview", "--text", "depot-3", "--with", "depot-4")
	term.expect("␛[31mdepot-4␇<9B>")
	term.expect("1 would change")
	term.ends(0)
	require.NotContains(t, term.screen(), "\x1b")
}

// On a terminal matches stand under their file, and long lines are cut around them.
func TestFindAtTerminal(t *testing.T) {
	dir, _ := numbered(t, 1)
	wide := strings.Repeat("駅", 100) + " depot-3 " + strings.Repeat("駅", 100)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "wide.txt"), []byte("one\ntwo\n"+wide+"\nfour\n"), 0o644))
	term := atTerminal(t, dir, "find", "--word", "depot-3", "--context", "1")
	term.expect("1.txt  1 match\r\n1  host = depot-3\r\n")
	term.expect("wide.txt  1 match\r\n2  two\r\n3  …駅")
	term.expect("駅 depot-3 駅")
	term.expect("…\r\n4  four\r\n")
	term.expect("2 files read, 2 with matches: 2 matches")
	term.ends(0)
}

// What can be decided line by line comes out while the input is still open, a closed
// pipe ends the filter, and so does Ctrl-C.
func TestFilterStreams(t *testing.T) {
	start := func(args ...string) (*exec.Cmd, io.WriteCloser, *bufio.Reader) {
		c := exec.Command(binary, append([]string{"filter"}, args...)...)
		in, err := c.StdinPipe()
		require.NoError(t, err)
		out, err := c.StdoutPipe()
		require.NoError(t, err)
		require.NoError(t, c.Start())
		t.Cleanup(func() { _ = c.Process.Kill() })
		return c, in, bufio.NewReader(out)
	}
	say := func(in io.Writer, text string) {
		_, err := io.WriteString(in, text)
		require.NoError(t, err)
	}
	hear := func(out *bufio.Reader, want string) {
		line, err := out.ReadString('\n')
		require.NoError(t, err)
		require.Equal(t, want, line)
	}

	c, in, out := start("--rule", `replace word "depot-3" with "{=count}:{=line}"`, "--rule", `on line 3 replace text "x" with "y"`)
	say(in, "depot-3\nde")
	hear(out, "1:1\n")
	say(in, "pot-3 x\r\nx\r\n")
	hear(out, "2:2 x\r\n")
	hear(out, "y\r\n")
	say(in, "no ending")
	require.NoError(t, in.Close())
	rest, err := io.ReadAll(out)
	require.NoError(t, err)
	require.Equal(t, "no ending", string(rest))
	require.NoError(t, c.Wait())

	c, in, out = start("--word", "depot-3", "--with", "depot-4", "--only-changed")
	say(in, "a\ndepot-3\nb\n")
	hear(out, "depot-4\n")
	require.NoError(t, c.Process.Signal(os.Interrupt))
	begun := time.Now()
	require.Error(t, c.Wait())
	require.Equal(t, 130, c.ProcessState.ExitCode())
	require.Less(t, time.Since(begun), 2*time.Second)
}

// Ctrl-C ends long work at once, and says how far it came.
func TestInterrupted(t *testing.T) {
	dir, _ := numbered(t, 0)
	line := strings.Repeat("board 1, kiosk 7, ", 60000) + "\n" // on which an expression is slow
	for i := range 40 {
		require.NoError(t, os.WriteFile(filepath.Join(dir, fmt.Sprintf("%d.txt", i)), []byte(strings.Repeat(line, 5)), 0o644))
	}
	term := atTerminal(t, dir, "find", "--regex", `(\w+ )*[xyz\x{FFFD}]\d+`)
	term.expect("reading: ") // which is shown after a second
	term.press("\x03")
	begun := time.Now()
	term.expect("interrupted after")
	term.ends(130)
	require.Less(t, time.Since(begun), 5*time.Second) // all of it takes some ten, and longer where others work
	require.Contains(t, term.screen(), "nothing was written")
}

// At a terminal the demo waits before each step.
func TestDemoAtTerminal(t *testing.T) {
	dir, _ := numbered(t, 0)
	term := atTerminalOf(t, 120, 40, dir, "demo")
	for _, command := range []string{"find", "check", "preview", "apply", "find", "history", "undo", "preview", "find", "preview", "preview"} {
		term.expect("$ frizzel " + command)
		term.expect("Press a key to run it")
		term.press(" ")
	}
	term.expect("To play with these files")
	term.ends(0)
	entries, err := os.ReadDir(dir)
	require.NoError(t, err)
	require.Empty(t, entries)
}

// At a terminal the pages and explanations are broken between words: no line is too wide, but of code and of a word that is,
// and each page has the words that it has in a pipe, in their order.
func TestPagesAtATerminal(t *testing.T) {
	dir := t.TempDir()
	for _, page := range []string{"tutorial", "language", "trust", "commands"} {
		plain, _, status := frizzel(t, dir, "help", page)
		require.Zero(t, status)
		term := atTerminalOf(t, 62, 24, dir, "help", page)
		words := func(text string) []string { // but for tables, which have another form
			return strings.Fields(regexp.MustCompile(`(?m)^\|.*\n`).ReplaceAllString(text, ""))
		}
		require.Eventually(t, func() bool { return len(words(term.screen())) >= len(words(plain)) }, time.Minute, 10*time.Millisecond)
		term.ends(0)
		shown := strings.ReplaceAll(term.screen(), "\r\n", "\n")
		at := 0
		all := words(shown)
		for _, w := range words(plain) {
			i := slices.Index(all[at:], w)
			require.GreaterOrEqual(t, i, 0, "%s: %q, behind %q", page, w, all[max(at-8, 0):at])
			at += i + 1
		}
		code := false
		for line := range strings.SplitSeq(shown, "\n") {
			code = code != strings.HasPrefix(line, "```")
			if !code && !strings.HasPrefix(line, "#") && strings.Count(strings.TrimSpace(line), " ") > 1 {
				require.LessOrEqual(t, len([]rune(line)), 62, page)
			}
		}
	}
	term := atTerminalOf(t, 62, 24, dir, "explain", "--rule", `in section "clock" settle regex '^server\s*=' as "server = 192.0.2.40"`, "--hide", `text "any number of times"`)
	require.Eventually(t, func() bool { return strings.Contains(term.screen(), "192.0.2.40”.") }, time.Minute, 10*time.Millisecond)
	term.ends(0)
	require.NotContains(t, term.screen(), "number of times")
	require.Contains(t, term.screen(), "•••••")
	for line := range strings.SplitSeq(term.screen(), "\r\n") {
		require.LessOrEqual(t, len([]rune(line)), 62)
	}
	// Colours take no room.
	require.NoError(t, os.WriteFile(filepath.Join(dir, "a.ini"), []byte("x\n"), 0o644))
	term = atTerminalOf(t, 62, 24, dir, "explain", "--color", "always", "--rule", `in section "clock" delete`, "a.ini")
	term.expect("selects nothing")
	term.ends(0)
}
