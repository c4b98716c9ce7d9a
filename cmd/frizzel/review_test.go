package main

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"
	"unicode/utf16"

	"github.com/creack/pty"
	"github.com/stretchr/testify/require"
)

// railway makes a directory of three files and a script whose second rule depends on
// the first.
func railway(t *testing.T) (dir string, read func(name string) string) {
	dir, read = numbered(t, 0)
	for name, text := range map[string]string{
		"a.conf": "one\nhost = depot-3\ntwo\nspare = depot-3\nthree\n",
		"b.conf": "host = depot-3\n",
		"c.conf": "gage = 762\n",
		"rules.friz": "not files \"*.friz\"\n" +
			"rule host { replace word \"depot-3\" with \"depot-4\" }\n" +
			"rule mark { replace text \"= depot-4\" with \"= depot-4 # moved\" }\n" +
			"rule gage { replace word \"gage\" with \"gauge\" }\n",
	} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
	}
	return dir, read
}

const down, right = "\x1b[B", "\x1b[C"

func TestReviewOnTheWholeScreen(t *testing.T) {
	dir, read := railway(t)
	term := atTerminalOf(t, 120, 30, dir, "apply", "-r", "rules.friz")
	term.shows("7 of 7 changes taken", "a.conf", "4/4", "1/4  line 2  host", "+host = depot-4", "line 2  mark", "space leave it")
	term.press(" ") // what depended on it goes with it
	term.shows("5 of 6 changes taken", "[ ] 1/3  line 2  host  left out", "line 4  mark")
	term.press(" ")
	term.shows("7 of 7 changes taken", "1/4")
	term.press("/gauge\r")
	term.shows("Review  c.conf", "+gauge = 762")
	term.press("f")
	term.shows("6 of 7 changes taken, in 2 files of 3", "left out")
	term.press("\x1b[D\x1b[D" + "c")
	term.shows("write instead: depot-4")
	term.press(strings.Repeat("\x7f", 7) + "yard-9\r")
	term.shows("+host = yard-9", "1/3")
	term.press("?")
	term.shows("What the keys do", "take this rule's changes in every file")
	term.press("q")
	term.shows("+host = yard-9")
	require.Equal(t, "host = depot-3\n", read("b.conf"), "written before the last answer")
	term.press("w")
	term.shows("in 2 files will be written", "1 change left out", "w write")
	term.press("b" + "w" + "w")
	term.ends(0)
	require.Equal(t, "one\nhost = yard-9\ntwo\nspare = depot-4 # moved\nthree\n", read("a.conf"))
	require.Equal(t, "host = depot-4 # moved\n", read("b.conf"))
	require.Equal(t, "gage = 762\n", read("c.conf"))
}

// What a person writes for a value is shown, and written, as it stands in the file; what would break
// a file is marked.
func TestReviewOfValues(t *testing.T) {
	dir, read := railway(t)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "b.json"), []byte("{\"feed\": \"depot-3\", \"list\": [1, 2]}\n"), 0o644))
	term := atTerminalOf(t, 110, 24, dir, "apply", "--rule", "at '$.feed' replace text \"depot-3\" with \"depot-4\"", "--rule", `replace text "," with ""`, "b.json")
	term.shows("1/3  line 1  $['feed']", `"feed": "depot-4"`, "[!]")
	term.press("c")
	term.shows("depot-4")
	term.press("\x15")
	term.press("y\"z\r")
	term.shows(`"feed": "y\"z"`)
	term.press(down + " " + down + " ") // the commas stay
	term.shows("1 of 3 changes taken")
	term.press("w")
	term.shows("will be written")
	term.press("w")
	term.ends(0)
	require.Equal(t, "{\"feed\": \"y\\\"z\", \"list\": [1, 2]}\n", read("b.json"))
}

func TestReviewOfRulesAndFiles(t *testing.T) {
	dir, read := railway(t)
	term := atTerminalOf(t, 60, 15, dir, "apply", "-r", "rules.friz") // the least screen
	term.shows("7 of 7 changes taken", "1/4  line 2  host")
	term.press("r") // this rule nowhere
	term.shows("1 of 4 changes taken", "left out")
	term.press(right)
	term.shows("1/1  line 1  host  left out")
	require.NoError(t, pty.Setsize(term.file, &pty.Winsize{Rows: 10, Cols: 40}))
	term.shows("The review needs 60 columns")
	require.NoError(t, pty.Setsize(term.file, &pty.Winsize{Rows: 15, Cols: 60}))
	term.press("a") // nothing at all, and all again
	term.shows("0 of")
	term.press("a")
	term.shows("7 of 7 changes taken")

	// Someone else changes the file meanwhile: it is seen, not overwritten.
	require.NoError(t, os.WriteFile(filepath.Join(dir, "c.conf"), []byte("new gage\n"), 0o644))
	term.press(right)
	term.shows("this file has changed on disk")
	term.press("w")
	term.shows("3 files will be written")
	term.press("x")
	term.shows("Leave without writing?")
	term.press("n" + "w" + "w")
	term.ends(0)
	require.Equal(t, "new gauge\n", read("c.conf"))

	// What must hold and does not is said on the last page.
	term = atTerminalOf(t, 100, 20, dir, "apply", "--word", "gauge", "--with", "gage", "--rule", `forbid word "gage"`, "c.conf")
	term.shows("1 of 1 change taken")
	term.press("w")
	term.shows("Nothing can be written, since this does not hold:", "forbidden")
	term.press("b ") // leaving it out helps
	term.shows("0 of 1")
	term.press("w")
	term.shows("Nothing is taken")
	term.press("x" + "y")
	term.ends(3)
}

// An editor may write the whole file; Ctrl-C and a lost terminal write nothing.
func TestReviewWithAnEditor(t *testing.T) {
	dir, read := railway(t)
	editor := filepath.Join(dir, "editor.sh")
	require.NoError(t, os.WriteFile(editor, []byte("#!/bin/sh\necho by hand >> \"$1\"\n"), 0o755))
	t.Setenv("VISUAL", editor)
	term := atTerminalOf(t, 100, 24, dir, "apply", "--word", "gage", "--with", "gauge", "c.conf")
	term.shows("+gauge = 762")
	term.press("e")
	term.shows("edited by hand", "+by hand")
	term.press("ww")
	term.ends(0)
	require.Equal(t, "gauge = 762\nby hand\n", read("c.conf"))

	term = atTerminalOf(t, 100, 24, dir, "apply", "--word", "depot-3", "--with", "x", ".")
	term.shows("changes taken")
	term.press("\x03")
	term.ends(130)
	require.Contains(t, read("a.conf"), "depot-3")
	require.Eventually(t, func() bool { return strings.Contains(term.screen(), "\x1b[?1049l") }, time.Minute, 5*time.Millisecond,
		"the terminal is not given back")
}

func TestAskingAboutEachMatch(t *testing.T) {
	dir, read := railway(t)
	term := atTerminal(t, dir, "apply", "--ask", "match", "-r", "rules.friz")
	term.expect("a.conf:2  host")
	term.expect("change 1 of 7, file 1 of 3: take it?")
	term.press("n")
	term.expect("a.conf:4  host") // the mark that depended on it is not asked about
	term.expect("change 2 of 6")
	term.press("b") // the last answer back
	term.expect("a.conf:2  host")
	term.press("c")
	term.expect("instead:")
	term.press("yard-99\x7f\r")
	term.expect("a.conf:4  host")
	term.press("y")
	term.expect("a.conf:4  mark")
	term.press("o") // the rest of this file stays
	term.expect("b.conf:1  host")
	term.press("f")
	term.expect("c.conf:1  gage")
	term.press("?")
	term.expect("take all that is left, in every file")
	term.press("s")
	term.expect("Write the 4 changes in 2 files taken so far?")
	term.press("y")
	term.ends(0)
	require.Equal(t, "one\nhost = yard-9\ntwo\nspare = depot-4\nthree\n", read("a.conf"))
	require.Equal(t, "host = depot-4 # moved\n", read("b.conf"))
	require.Equal(t, "gage = 762\n", read("c.conf"))

	// Who breaks off while writing is not asked for an Enter.
	term = atTerminal(t, dir, "apply", "--ask", "match", "--word", "gage", "--with", "gauge", "c.conf")
	term.expect("change 1 of 1")
	term.press("c")
	term.expect("instead:")
	term.press("x\x03")
	term.ends(130)

	// From files to matches and on to all the rest.
	term = atTerminal(t, dir, "apply", "--ask", "file", "--word", "gage", "--with", "gauge", "--rule", `replace word "host" with "HOST"`)
	term.expect("a.conf (file 1 of 3)")
	term.press("m")
	term.expect("a.conf:2")
	term.press("r")
	term.expect("written as run")
	term.ends(0)
	require.Equal(t, "gauge = 762\n", read("c.conf"))
}

// A file that changes before it is shown at the prompt is shown as it is by then, and
// one that changes after that stops the run; neither is written with edits made for
// what it held before.
func TestPromptOfMovedFile(t *testing.T) {
	dir, read := railway(t)
	ask := func() *terminal {
		term := atTerminal(t, dir, "apply", "--ask", "file", "--word", "depot-3", "--with", "depot-4", "a.conf", "b.conf")
		term.expect("a.conf (file 1 of 2)")
		return term
	}
	write := func(text string) {
		require.NoError(t, os.WriteFile(filepath.Join(dir, "b.conf"), []byte(text), 0o644))
	}
	term := ask()
	write("# new\nspare = depot-3, depot-3\n")
	term.press("y")
	term.expect("has changed on disk since it was read")
	term.expect("+spare = depot-4, depot-4")
	term.press("y")
	term.expect("written as run")
	term.ends(0)
	require.Equal(t, "# new\nspare = depot-4, depot-4\n", read("b.conf"))

	_, stderr, status := frizzel(t, dir, "undo", "--yes")
	require.Zero(t, status, stderr)
	term = ask()
	term.press("y")
	term.expect("b.conf (file 2 of 2)")
	write("theirs depot-3\n")
	term.press("y")
	term.expect("has changed since it was read; nothing was written")
	term.ends(3)
	require.Equal(t, "theirs depot-3\n", read("b.conf"))
	require.Contains(t, read("a.conf"), "depot-3")
}

// Files made of a template are reviewed like any change: a line that would change in one that
// is there, and a new one as a whole.
func TestReviewOfStamps(t *testing.T) {
	dir, read := railway(t)
	for name, text := range map[string]string{"kiosk.txt": "name={=name}\nport={=port}\n", "kiosk-7.ini": "name=7\nport=1\n"} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
	}
	args := []string{"stamp", "kiosk.txt", "--to", "kiosk-{=name}.ini", "--each", "name=7,8,9", "--each", "port=2,3,4"}
	term := atTerminalOf(t, 110, 24, dir, args...)
	term.shows("3 of 3 changes taken, in 3 files of 3", "line 2  kiosk.txt", "-port=1", "+port=2")
	term.press(right)
	term.shows("Review  kiosk-8.ini", "+name=8", "+port=3")
	term.press(" ")
	term.shows("2 of 3 changes taken, in 2 files of 3", "left out")
	term.press("w")
	term.shows("2 files will be written")
	term.press("w")
	term.ends(0)
	require.Equal(t, "name=7\nport=2\n", read("kiosk-7.ini"))
	require.Equal(t, "name=9\nport=4\n", read("kiosk-9.ini"))
	require.NoFileExists(t, filepath.Join(dir, "kiosk-8.ini"))

	term = atTerminal(t, dir, append(args, "--ask", "match")...)
	term.expect("kiosk-8.ini:1  kiosk.txt")
	term.expect("change 1 of 1")
	term.press("s")
	term.expect("nothing was written")
	term.ends(3)
	require.NoFileExists(t, filepath.Join(dir, "kiosk-8.ini"))
}

// Work that takes long says how far it is, on a line that goes away.
func TestProgress(t *testing.T) {
	dir, read := railway(t)
	term := atTerminal(t, dir, "apply", "--yes", "--word", "gage", "--with", "gauge", "--prove", "sleep 2", "c.conf")
	term.expect("writing: 1 file, ")
	term.expect("1 file written as run")
	term.ends(0)
	require.Equal(t, "gauge = 762\n", read("c.conf"))
}

// Many files and many changes do not make it slow.
func TestReviewOfVeryMuch(t *testing.T) {
	dir, _ := numbered(t, 0)
	for i := range 5000 {
		require.NoError(t, os.WriteFile(filepath.Join(dir, fmt.Sprintf("%04d.conf", i)), []byte("host = depot-3\n"), 0o644))
	}
	require.NoError(t, os.WriteFile(filepath.Join(dir, "9999.log"), []byte(strings.Repeat("seen depot-3 go by\n", 50000)), 0o644))
	term := atTerminalOf(t, 120, 30, dir, "apply", "--word", "depot-3", "--with", "depot-4")
	term.shows("55000 of 55000 changes taken, in 5001 files of 5001")
	begun := time.Now()
	term.press("\x1b[F" + strings.Repeat(right, 50))
	term.shows("Review  0050.conf")
	term.press("/seen\r")
	term.shows("Review  9999.log", "1/50000")
	term.press("\x1b[F")
	term.shows("50000/50000")
	term.press(" ")
	term.shows("54999 of 55000 changes taken")
	require.Less(t, time.Since(begun), 5*time.Second)
	term.press("a")
	term.shows("0 of 55000 changes taken")
	term.press("\x03")
	term.ends(130)
}

// A person sees text, whatever the encoding, when a run or a sealed review is shown, or a run is taken back.
func TestUndoOfWideText(t *testing.T) {
	dir := t.TempDir()
	wide := func(text string) []byte {
		out := []byte{0xff, 0xfe}
		for _, u := range utf16.Encode([]rune(text)) {
			out = append(out, byte(u), byte(u>>8))
		}
		return out
	}
	old := wide("gate = Größe\r\nhost = depot-3\r\n")
	require.NoError(t, os.WriteFile(filepath.Join(dir, "announcer.ini"), old, 0o644))
	change := []string{"--word", "depot-3", "--with", "depot-4", "announcer.ini"}
	_, stderr, status := frizzel(t, dir, append([]string{"preview", "--seal", "kept.seal"}, change...)...)
	require.Zero(t, status, stderr)
	events, stderr, status := frizzel(t, dir, "preview", "--sealed", "kept.seal", "--format", "json")
	require.Zero(t, status, stderr)
	require.Contains(t, events, `\n gate = Größe\r\n-host = depot-3\r\n+host = depot-4`)
	_, stderr, status = frizzel(t, dir, append([]string{"apply", "--yes"}, change...)...)
	require.Zero(t, status, stderr)
	shown := atTerminal(t, dir, "history", "show", "1")
	for _, line := range []string{" gate = Größe", "-host = depot-3", "+host = depot-4"} {
		shown.expect(line)
	}
	shown.ends(0)
	undo := atTerminal(t, dir, "undo")
	undo.expect("+host = depot-3")
	undo.press("y")
	undo.ends(0)
	now, err := os.ReadFile(filepath.Join(dir, "announcer.ini"))
	require.NoError(t, err)
	require.Equal(t, old, now)
}
