package main

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/creack/pty"
	"github.com/stretchr/testify/require"
)

const (
	ctrlK, ctrlR, ctrlS, ctrlT = "\x0b", "\x12", "\x13", "\x14"
	escape, backTab            = "\x1b", "\x1b[Z"
)

// A rule takes shape: it is typed, turned, narrowed, kept with an example that passes, reviewed and written.
func TestTry(t *testing.T) {
	dir, read := railway(t)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "d.ini"), []byte("[clock]\nhost = depot-3\n[log]\nhost = depot-30\n"), 0o644))
	term := atTerminalOf(t, 110, 36, dir, "try")
	term.shows("Try a rule", "4 files here", "type a text, and see where it is", "Ctrl-K")
	term.press("depot-3")
	term.shows("5 matches in 3 files of 4", "       2  host = depot-3", "spare = depot-3", "only shown")
	term.press("\tdepot-4")
	term.shows("5 changes in 3 files of 4", "-host = depot-3", "+host = depot-4", "+host = depot-40", `replace text "depot-3" with "depot-4"`)
	term.press(ctrlK)
	term.shows("4 changes in 3 files of 4", "text [word] regex", `replace word "depot-3" with "depot-4"`)

	term.press(ctrlK + backTab + "(")
	term.shows("is never closed", "the last result without a mistake", "+host = depot-4")
	term.press("\x7f" + ctrlK + ctrlK + "\t\tsection \"clo")
	term.shows("the last result without a mistake", "not closed on its line")
	term.press("ck\"")
	term.shows("1 change in 1 file of 4", `in section "clock" replace word "depot-3" with "depot-4"`)
	term.press("\x15")
	term.shows("4 changes in 3 files")

	term.press("\r ") // to the list, where a change is left out, which is forgotten when the rule is another one
	term.shows("1 left out, 4 changes", "[ ]    2 -host = depot-3")
	term.press(ctrlT)
	term.shows("4 changes", "[any case]", "ignoring case")
	term.press("s")
	term.shows("keep it as:")
	term.press("rules.friz\r")
	term.shows("is there already")
	term.press("s" + "moved\r")
	term.shows("kept as moved.friz, with the change at hand as an example")
	term.press(" ")
	term.shows("1 left out")
	require.Equal(t, "host = depot-3\n", read("b.conf"), "nothing is written before the review")
	term.press("w")
	term.shows("Review", "3 of 4 changes taken", "[ ] 1/2  line 2")
	term.press("ww")
	term.ends(0)
	require.Equal(t, "one\nhost = depot-3\ntwo\nspare = depot-4\nthree\n", read("a.conf"))
	require.Equal(t, "host = depot-4\n", read("b.conf"))
	out, err := exec.Command(binary, "check", filepath.Join(dir, "moved.friz")).CombinedOutput()
	require.NoError(t, err, "%s", out)
	require.Contains(t, string(out), "1 example passed")
	require.Equal(t, "replace word \"depot-3\" with \"depot-4\" ignoring case\n\nexample \"from a.conf\" {\n    given\n        | host = depot-3\n    gives\n        | host = depot-4\n}\n", read("moved.friz"))
}

// Each rule's change of a file is shown as that rule makes it.
func TestTryManyRules(t *testing.T) {
	dir, _ := numbered(t, 0)
	_, said, status := frizzel(t, dir, "demo", "railway")
	require.Zero(t, status, said)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "all.friz"), []byte(`replace word "depot-3" with "depot-4"
rule clock {
    files "*.ini"
    in section "clock" {
        settle regex '^server\s*=' as "server = 192.0.2.40" commented by "#" ";"
    }
}
replace text "/depot3/" with "/depot4/"
`), 0o644))
	term := atTerminalOf(t, 110, 36, dir, "try", "-r", "all.friz", "railway/conf/clock.ini")
	term.shows("-server = 192.0.2.30", "+server = 192.0.2.40", "-host = depot-3", "+host = depot-4", "-path = /var/opt/railway/depot3/", "+path = /var/opt/railway/depot4/")
	term.press("\rx")
	term.ends(0)
}

// What a person leaves with does what the screen showed.
func TestTryLeaving(t *testing.T) {
	dir, _ := railway(t)
	for name, text := range map[string]string{
		"e.json": "{\"boards\": [{\"host\": \"depot-3\", \"port\": 1}]}\n", "it's.txt": "depot-3's sister\n", "d.ini": "[clock]\nhost = depot-3\n",
	} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
	}
	for _, c := range []struct {
		args       []string
		keys, says string // what is printed is run by a shell, and says this
	}{
		{[]string{"try", "--word", "depot-3", "--with", "yard-9", "--joiners", "-", "--files", "*.conf", "--no-hidden", "."}, "\rx", "2 would change: 3 changes"},
		{[]string{"try", "--no-documents=false", "it's.txt"}, "3's" + "\rx", "1 with matches"},
		{[]string{"try"}, "depot-3\tx\tat '$.boards[*].host'" + "\rx", "1 would change: 1 change"},
		{[]string{"try"}, "depot-3\tx\toutside section \"clock\"" + "\rx", "4 would change: 5 changes"},
		{[]string{"try"}, "depot-3" + ctrlR + "\rx", "5 would change: 6 changes"},
		{[]string{"try", "-r", "rules.friz"}, "\rx", "6 would change: 11 changes"},
		{[]string{"try", "-r", "rules.friz"}, "0\x7f0\tdepot-5" + "\rx", "1 would change: 1 change"},
		{[]string{"try", "-r", "rules.friz"}, "\t0" + ctrlS + "kept\r" + "\rx", "6 would change"},
	} {
		term := atTerminalOf(t, 110, 30, dir, c.args...)
		term.shows("Try a rule")
		for key := range strings.SplitSeq(c.keys, "") { // as a person types
			term.press(key)
			time.Sleep(2 * time.Millisecond)
		}
		term.ends(0)
		term.shows("frizzel ") // what a program prints last may come after its end
		_, printed, _ := strings.Cut(term.screen(), "\x1b[?2004l")
		command := strings.ReplaceAll(strings.TrimSpace(printed), "\r\n", "\n")
		sh := exec.Command("sh", "-c", command)
		sh.Dir = dir
		sh.Env = append(os.Environ(), "PATH="+filepath.Dir(binary)+":"+os.Getenv("PATH"))
		out, err := sh.CombinedOutput()
		require.NoError(t, err, "%s\n%s", command, out)
		require.Contains(t, string(out), c.says, command)
	}
}

// In the list a key opens the editor at the line of the change; what it did to the file is seen at once.
func TestTryEditor(t *testing.T) {
	dir, _ := railway(t)
	tool := filepath.Join(dir, "..", "my editor")
	require.NoError(t, os.WriteFile(tool, []byte("#!/bin/sh\nprintf '%s\\n' \"$@\" >../args\nprintf 'first\\nsecond = depot-3\\n' >\"$2\"\n"), 0o755))
	t.Setenv("VISUAL", "'"+tool+"'")
	term := atTerminalOf(t, 100, 30, dir, "try", "--text", "depot-3", "a.conf")
	term.shows("2 matches in 1 file")
	term.press(escape)
	term.shows("Tab to the fields") // else the next keys could be part of one with escape
	term.press(down)
	term.press("o")
	term.shows("1 match in 1 file", "second = depot-3")
	args, err := os.ReadFile(filepath.Join(dir, "..", "args"))
	require.NoError(t, err)
	require.Equal(t, "+4\na.conf\n", string(args))
	term.press("x")
	term.ends(0)
}

// The terminal stays sane, whatever happens to it, to the program and to the files.
func TestTryUnderStress(t *testing.T) {
	dir, read := railway(t)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "evil.txt"), []byte("depot-3 \x1b]0;title\x07\x1b[2J\u202e\n"), 0o644))
	term := atTerminalOf(t, 110, 30, dir, "try", "--text", "depot-3", "--with", "depot-4", ".")
	term.shows("4 changes in 3 files", "␛]0;title␇")

	require.NoError(t, pty.Setsize(term.file, &pty.Winsize{Rows: 20, Cols: 40}))
	term.mu.Lock()
	term.vt.Resize(40, 20)
	term.mu.Unlock()
	term.shows("Try a rule", "+host = depot-4", "Ctrl-K text")
	require.NoError(t, pty.Setsize(term.file, &pty.Winsize{Rows: 5, Cols: 20}))
	term.shows("This needs")
	require.NoError(t, pty.Setsize(term.file, &pty.Winsize{Rows: 30, Cols: 110}))
	term.mu.Lock()
	term.vt.Resize(110, 30)
	term.mu.Unlock()
	term.shows("Ctrl-K", "4 changes in 3 files")

	term.press("\x1b[200~\x1b[31m\x07\u202e\x00pasted\x1b[201~") // a paste of what drives terminals
	term.shows("Nothing in")
	term.press("\x15depot-3")
	term.shows("4 changes in 3 files")
	term.press("\r")
	require.NoError(t, os.WriteFile(filepath.Join(dir, "a.conf"), []byte("other depot-3\n"), 0o644)) // behind its back
	term.press(down + down + " ")
	require.NoError(t, os.Remove(filepath.Join(dir, "b.conf")))
	term.press(right + right + "\x1b[D\x1b[D ")
	term.shows("Try a rule")
	term.press("/nothing has this\r")
	term.shows("no change further on")
	screen := term.screen()
	for _, bad := range []string{"\x1b]0;", "\x07", "\u202e", "\x1b[31m\x07"} {
		require.NotContains(t, screen, bad)
	}
	require.NoError(t, term.cmd.Process.Signal(syscall.SIGTERM))
	term.ends(130)
	require.Eventually(t, func() bool { return strings.Contains(term.screen(), "\x1b[?1049l") }, patience, 5*time.Millisecond, "the screen before is back")
	require.Equal(t, "other depot-3\n", read("a.conf"))

	// Without a terminal, or with one that is too small, there is nothing to watch.
	c := exec.Command(binary, "try", ".")
	c.Dir = dir
	out, err := c.CombinedOutput()
	require.Error(t, err)
	require.Equal(t, 3, c.ProcessState.ExitCode(), "%s", out)
	require.Contains(t, string(out), "try needs a terminal")
}

// Documents and structured files are tried as everywhere.
func TestTryDocuments(t *testing.T) {
	dir, _ := numbered(t, 0)
	out, err := exec.Command(binary, "demo", dir+"/d").CombinedOutput()
	require.NoError(t, err, "%s", out)
	term := atTerminalOf(t, 120, 36, dir+"/d", "try", "office", "conf/boards.yaml")
	term.shows("files here")
	term.press("platform\tPLATFORM")
	term.shows("(document)", "sheet Kiosks cell C3", "+Sells tickets to PLATFORM 2")
	term.press("\tat '$.boards[*].feed'" + backTab + backTab + "\x15http")
	term.shows("3 changes in 1 file", "$['boards'][0]['feed']", "+    feed: PLATFORM://depot-3")
	term.press("\x03")
	term.ends(130)
}
