package main

import (
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/require"
)

// standIn is what reaches a host in place of a remote shell: it runs the program there in a directory of the host's own,
// which is open as descriptor 9. A file "mode" in it makes the host misbehave.
const standIn = `#!/bin/sh
host=$1; shift
root=$HOSTS/$host
[ -d "$root" ] || { echo "no route to $host" >&2; exit 255; }
export FRIZZEL_STATE="$root/state" PATH="$PROGRAM:$PATH"
exec 9<"$root"
mode=$(cat "$root/mode" 2>/dev/null)
echo x >>"$root/calls"
case $mode in
away) exit 255 ;;
hang) exec sleep 60 ;;
nonsense) echo '{"frizzel_fleet":1,"program":"'"$VERSION"'"}'; read -r _; echo 'not json'; exec sleep 60 ;;
flood) yes "all that a login says" ;;
endless) echo '{"frizzel_fleet":1,"program":"'"$VERSION"'"}'; read -r _; yes '{"alive":true}' ;;
old) echo '{"frizzel_fleet":1,"program":"0.0.1"}'; exec sleep 60 ;;
outside) "$@" | sed -u 's|"path":"[^"]*"|"path":"/etc/passwd"|' ;;
edits) "$@" | sed -u 's|"e":[0-9]*|"e":99999|' ;;
rules) "$@" | sed -u 's|"rule":[0-9]*|"rule":99|' ;;
dies) "$@" | dd bs=1 count=300 2>/dev/null ;;
noisy) printf 'Welcome to %s, no ending' "$host"; exec "$@" ;;
*) exec "$@" ;;
esac
`

// etc is where the files of a host are, whichever host it is.
const etc = "/proc/self/fd/9/etc"

// A line is the hosts for a test, and the control side.
type line struct {
	t     *testing.T
	dir   string
	hosts []string
}

// newLine makes hosts kiosk-1, kiosk-2 and so on, each with a configuration that names depot-3.
func newLine(t *testing.T, n int) *line {
	if runtime.GOOS != "linux" {
		t.Skip("hosts have their own files by a name that other systems do not have")
	}
	y := &line{t: t, dir: filepath.Join(t.TempDir(), "line")}
	require.NoError(t, os.Mkdir(y.dir, 0o755))
	t.Setenv("FRIZZEL_STATE", filepath.Join(filepath.Dir(y.dir), "state"))
	t.Setenv("HOSTS", filepath.Join(y.dir, "hosts"))
	t.Setenv("PROGRAM", filepath.Dir(binary))
	out, _, _ := frizzel(t, y.dir, "version")
	t.Setenv("VERSION", strings.TrimSuffix(strings.Fields(out)[1], ","))
	require.NoError(t, os.WriteFile(filepath.Join(y.dir, "shell"), []byte(standIn), 0o755))
	list := "host,gate\n"
	for i := range n {
		host := fmt.Sprintf("kiosk-%d", i+1)
		y.hosts = append(y.hosts, host)
		y.write(host, "etc/clock.ini", "[clock]\nserver = 192.0.2.30\nhost = depot-3\n")
		y.write(host, "etc/kiosk.conf", "upstream = depot-3\n")
		list += fmt.Sprintf("%s,192.0.2.%d\n", host, i+1)
	}
	require.NoError(t, os.WriteFile(filepath.Join(y.dir, "hosts.csv"), []byte(list), 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(y.dir, "move.friz"), []byte(`param gate
replace word "depot-3" with "depot-4"
rule clock {
    files "*.ini"
    in section "clock" settle regex '^server\s*=' as "server = {=gate}"
}
`), 0o644))
	return y
}

func (y *line) path(host, name string) string { return filepath.Join(y.dir, "hosts", host, name) }

func (y *line) write(host, name, text string) {
	require.NoError(y.t, os.MkdirAll(filepath.Dir(y.path(host, name)), 0o755))
	require.NoError(y.t, os.WriteFile(y.path(host, name), []byte(text), 0o644))
}

func (y *line) read(host, name string) string {
	text, err := os.ReadFile(y.path(host, name))
	require.NoError(y.t, err)
	return string(text)
}

// mode makes a host misbehave; "" has it behave again.
func (y *line) mode(host, mode string) {
	if mode == "" {
		_ = os.Remove(y.path(host, "mode"))
		return
	}
	y.write(host, "mode", mode)
}

// fleet runs a command over the hosts.
func (y *line) fleet(command string, more ...string) (stdout, stderr string, status int) {
	args := append([]string{"fleet", command, "--through", filepath.Join(y.dir, "shell") + " {=host}", "--hosts", "hosts.csv", "-r", "move.friz", "--wait", "2s"}, more...)
	return frizzel(y.t, y.dir, append(args, etc)...)
}

// on runs a command with a run's number.
func (y *line) on(command, run string, more ...string) (stdout, stderr string, status int) {
	return frizzel(y.t, y.dir, append([]string{"fleet", command, run}, more...)...)
}

// is fails unless a host has what it had before, or what the script makes of it.
func (y *line) is(host string, fresh bool) {
	y.t.Helper()
	depot, server := "depot-3", "192.0.2.30"
	if fresh {
		depot, server = "depot-4", "192.0.2."+strings.TrimPrefix(host, "kiosk-")
	}
	require.Equal(y.t, "[clock]\nserver = "+server+"\nhost = "+depot+"\n", y.read(host, "etc/clock.ini"), host)
	require.Equal(y.t, "upstream = "+depot+"\n", y.read(host, "etc/kiosk.conf"), host)
}

func (y *line) all(fresh bool) {
	y.t.Helper()
	for _, h := range y.hosts {
		y.is(h, fresh)
	}
}

// state returns a host's state, by the table of a run.
func (y *line) state(run, host string) string {
	out, _, _ := frizzel(y.t, y.dir, "fleet", "history", "show", run)
	for line := range strings.Lines(out) {
		if rest, ok := strings.CutPrefix(line, host+" "); ok {
			state, _, _ := strings.Cut(strings.TrimSpace(rest), "  ")
			return state
		}
	}
	return ""
}

// The same change on several hosts is shown once, with a value that differs by its name; the odd one out comes first. An
// apply writes each host's own values, and what is taken back is as it was. Git takes the diff.
func TestFleet(t *testing.T) {
	y := newLine(t, 12)
	y.write("kiosk-7", "etc/kiosk.conf", "upstream = depot-3 # until notice 17\n")
	out, said, status := y.fleet("preview")
	require.Zero(t, status, said)
	require.Contains(t, said, "12 hosts asked, 12 would change")
	odd, rest, _ := strings.Cut(out, "# 11 hosts: kiosk-1, kiosk-2")
	require.Contains(t, odd, "# 1 host: kiosk-7\n")
	require.Contains(t, odd, "+upstream = depot-4 # until notice 17\n")
	require.Equal(t, 1, strings.Count(out, "+server = {=gate}\n"))
	require.Contains(t, rest, "# 12 hosts")
	check := exec.Command("git", "apply", "--check", "--unsafe-paths", "-")
	check.Stdin, check.Dir = strings.NewReader(strings.ReplaceAll(odd, etc[1:], "etc")), y.path("kiosk-7", "")
	text, err := check.CombinedOutput()
	require.NoError(t, err, string(text))

	y.write("kiosk-7", "etc/kiosk.conf", "upstream = depot-3\n")
	_, said, status = y.fleet("preview", "--check")
	require.Equal(t, 1, status, said)
	_, said, status = y.fleet("apply", "--yes", "--note", "notice 17", "--wave", "5")
	require.Zero(t, status, said)
	require.Contains(t, said, "frizzel fleet undo f1")
	y.all(true)
	for _, h := range y.hosts {
		require.Empty(t, y.reviews(h), "what is written is not kept as a review")
	}
	out, _, _ = frizzel(t, y.dir, "fleet", "history")
	require.Contains(t, out, "12 done")
	_, said, status = y.fleet("apply", "--yes")
	require.Zero(t, status, said)
	require.Contains(t, said, "nothing to write")
	_, said, status = y.on("undo", "f1")
	require.Zero(t, status, said)
	y.all(false)
}

// Each line of --format json is what the schema says.
func TestFleetEvents(t *testing.T) {
	y := newLine(t, 4)
	schema := eventSchema(t)
	y.write("kiosk-3", "etc/broken", "")
	y.mode("kiosk-4", "away")
	seen := map[string]bool{}
	for _, args := range [][]string{{"preview"}, {"apply", "--yes", "--skip-unreachable", "--hold", "1m", "--prove", "! test -e " + etc + "/broken"}} {
		out, said, status := y.fleet(args[0], append(args[1:], "--format", "json")...)
		require.Equal(t, 4, status, said)
		for line := range strings.Lines(out) {
			event, err := jsonschema.UnmarshalJSON(strings.NewReader(line))
			require.NoError(t, err, line)
			require.NoError(t, schema.Validate(event), line)
			fields := event.(map[string]any)
			seen[fields["event"].(string)] = true
			if state, ok := fields["state"]; ok {
				seen[state.(string)] = true
			}
		}
		require.Regexp(t, `"event":"fleet","hosts":4,"hosts_changing":3,[^\n]*\n$`, out)
	}
	for _, kind := range []string{"host_change", "host", "would change", "not reached", "on hold", "put back"} {
		require.True(t, seen[kind], kind)
	}
	_, said, _ := y.on("undo", "f1")
	require.Equal(t, "undone", y.state("f1", "kiosk-1"), said)
}

// expires waits until the holds of all hosts are over, and their files put back.
func (y *line) expires() {
	require.Eventually(y.t, func() bool {
		for _, h := range y.hosts {
			if strings.Contains(y.read(h, "etc/kiosk.conf"), "depot-4") || strings.Contains(y.read(h, "etc/clock.ini"), "depot-4") {
				return false
			}
		}
		return true
	}, 30*time.Second, 100*time.Millisecond)
}

// settled waits until a host has written what it was told.
func (y *line) settled(host string) {
	require.Eventually(y.t, func() bool { return strings.Contains(y.read(host, "etc/kiosk.conf"), "depot-4") }, 30*time.Second, 20*time.Millisecond)
	time.Sleep(200 * time.Millisecond)
}

// A host that is told twice to write the same answers as it did before, and writes nothing.
func TestFleetToldTwice(t *testing.T) {
	y := newLine(t, 1)
	_, said, status := y.fleet("apply", "--yes")
	require.Zero(t, status, said)
	text, err := os.ReadFile(filepath.Join(os.Getenv("FRIZZEL_STATE"), "fleet", "runs", "f1", "plan"))
	require.NoError(t, err)
	var plan struct {
		Key   string
		Hosts []struct{ Digest string }
	}
	require.NoError(t, json.Unmarshal(text, &plan))
	for range 2 {
		c := exec.Command(binary, "fleet-host")
		c.Env = append(os.Environ(), "FRIZZEL_STATE="+y.path("kiosk-1", "state"))
		c.Stdin = strings.NewReader(fmt.Sprintf(`{"op":"apply","run":%q,"digest":%q,"write":{}}`+"\n", plan.Key, plan.Hosts[0].Digest))
		out, err := c.Output()
		require.NoError(t, err)
		require.Contains(t, string(out), `"state":"done","run":"1"`)
	}
	require.Len(t, y.runs("kiosk-1"), 1)
}

// A host whose review is another one by the time that it is to be written refuses.
func TestFleetReviewReplaced(t *testing.T) {
	y := newLine(t, 1)
	y.onCall("kiosk-1", 2, `for f in "$root"/state/fleet/*.digest; do echo another >"$f"; done`)
	out, said, status := y.fleet("apply", "--yes")
	require.Equal(t, 3, status, said)
	require.Contains(t, out, "the review that is kept here is another one than was shown")
	y.all(false)
}

// reviews lists the reviews that a host keeps.
func (y *line) reviews(host string) (kept []string) {
	kept, _ = filepath.Glob(y.path(host, "state/fleet/*.seal"))
	return kept
}

// A host that does not behave is named, nothing waits for it, and it costs the others nothing. An apply writes nowhere.
func TestFleetWithHostsThatMisbehave(t *testing.T) {
	for mode, reason := range map[string]string{
		"away": "cannot be reached", "hang": "said nothing for 2s", "nonsense": "not understood", "flood": "more than is accepted",
		"endless": "more than is accepted", "old": `it runs frizzel "0.0.1"`, "outside": "which nobody asked for", "dies": "ended before its answer",
	} {
		t.Run(mode, func(t *testing.T) {
			t.Parallel()
			if mode == "endless" && os.Getenv("FRIZZEL_ROUNDS") == "" {
				t.Skip("it takes as long as 256 MB take")
			}
			start := time.Now()
			out, said, status := misbehaving(t, mode)
			require.Equal(t, 4, status, said)
			require.Contains(t, said, "kiosk-2: ")
			require.Contains(t, said, reason)
			require.Contains(t, out, "# 2 hosts: kiosk-1, kiosk-3")
			require.NotContains(t, out, "passwd")
			require.Less(t, time.Since(start), 30*time.Second)
		})
	}
}

// misbehaving previews three hosts, the second of which misbehaves. The tests run in parallel, so each has its own environment.
func misbehaving(t *testing.T, mode string) (out, said string, status int) {
	dir := t.TempDir()
	y := &line{t: t, dir: dir}
	require.NoError(t, os.WriteFile(filepath.Join(dir, "shell"), []byte(standIn), 0o755))
	for _, h := range []string{"kiosk-1", "kiosk-2", "kiosk-3"} {
		y.write(h, "etc/kiosk.conf", "upstream = depot-3\n")
	}
	y.mode("kiosk-2", mode)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "hosts"+".txt"), []byte("# all of them\nkiosk-1\nkiosk-2\n\nkiosk-3\n"), 0o644))
	version, _, _ := frizzel(t, dir, "version")
	c := exec.Command(binary, "fleet", "preview", "--through", dir+"/shell {=host}", "--hosts", "hosts.txt", "--wait", "2s", "--word", "depot-3", "--with", "depot-4", etc)
	c.Dir = dir
	c.Env = append(os.Environ(), "HOSTS="+filepath.Join(dir, "hosts"), "PROGRAM="+filepath.Dir(binary), "FRIZZEL_STATE="+filepath.Join(dir, "control"),
		"VERSION="+strings.TrimSuffix(strings.Fields(version)[1], ","))
	var o, e strings.Builder
	c.Stdout, c.Stderr = &o, &e
	_ = c.Run()
	return o.String(), e.String(), c.ProcessState.ExitCode()
}

// What becomes of a host, by the state that it is in when the run is resumed and when it is undone.
func TestWhatBecomesOfAHost(t *testing.T) {
	// The third of four hosts comes into a state; the run stops there or goes on.
	yes := []string{"--yes"}
	for _, row := range []struct {
		name          string
		apply         []string
		before        func(y *line) // before the apply
		after         func(y *line) // before resume or undo
		stopped       string        // state of the host in the journal
		resume        []string
		resumed       string // state and exit status after resume
		resumeStatus  int
		undone        string
		undoStatus    int
		freshResumed  bool // the host's files after resume
		editedInUndo  bool // its files are not compared after undo
		othersResumed bool
	}{
		{name: "waiting", apply: []string{"--prove", `! grep -q 192.0.2.2$ ` + etc + `/clock.ini`}, stopped: "waiting", resumed: "done", resumeStatus: 3, freshResumed: true, othersResumed: true, undone: "not written", undoStatus: 3},
		{name: "waiting, and the proof is right by now", apply: []string{"--prove", `! test -e ` + etc + `/broken`}, before: func(y *line) { y.write("kiosk-2", "etc/broken", "") },
			after: func(y *line) { require.NoError(y.t, os.Remove(y.path("kiosk-2", "etc/broken"))) }, stopped: "waiting", resume: []string{"--again"}, resumed: "done",
			undone: "not written", undoStatus: 3, freshResumed: true, othersResumed: true},
		{name: "not reached", apply: []string{"--skip-unreachable"}, before: func(y *line) { y.mode("kiosk-3", "away") }, after: func(y *line) { y.mode("kiosk-3", "") },
			stopped: "not reached", resumed: "done", undone: "not written", freshResumed: true, othersResumed: true},
		{name: "not reached, nor later", apply: []string{"--skip-unreachable"}, before: func(y *line) { y.mode("kiosk-3", "away") },
			stopped: "not reached", resumed: "not reached", resumeStatus: 4, undone: "not reached", undoStatus: 4, othersResumed: true},
		{name: "not reached, with other files", apply: []string{"--skip-unreachable"}, before: func(y *line) { y.mode("kiosk-3", "away") },
			after: func(y *line) {
				y.mode("kiosk-3", "")
				y.write("kiosk-3", "etc/kiosk.conf", "upstream = depot-3, depot-3\n")
			},
			stopped: "not reached", resumed: "refused", resumeStatus: 3, undone: "not written", othersResumed: true, editedInUndo: true},
		{name: "told to write, no answer", before: func(y *line) { y.muteAt("kiosk-3", 2) }, after: func(y *line) { y.mode("kiosk-3", "") },
			stopped: "no answer", resumed: "done", undone: "undone", freshResumed: true, othersResumed: true},
		{name: "cut off there", apply: []string{"--prove", `if test -e ` + etc + `/crash; then rm ` + etc + `/crash; kill -9 $PPID; sleep 1; fi`},
			before:  func(y *line) { y.write("kiosk-3", "etc/crash", "") },
			stopped: "no answer", resumed: "done", undone: "undone", freshResumed: true, othersResumed: true},
		{name: "changed since", before: func(y *line) { y.onCall("kiosk-3", 2, `echo 'x = 1' >>"$root/etc/kiosk.conf"`) },
			stopped: "refused", resumed: "refused", resumeStatus: 3, undone: "refused", undoStatus: 3, editedInUndo: true, othersResumed: true},
		{name: "a proof failed", apply: []string{"--prove", `! test -e ` + etc + `/broken`}, before: func(y *line) { y.write("kiosk-3", "etc/broken", "") },
			stopped: "put back", resumed: "put back", resumeStatus: 3, undone: "put back", undoStatus: 3, othersResumed: true},
		{name: "a proof failed, again", apply: []string{"--prove", `! test -e ` + etc + `/broken`}, before: func(y *line) { y.write("kiosk-3", "etc/broken", "") },
			after: func(y *line) { require.NoError(y.t, os.Remove(y.path("kiosk-3", "etc/broken"))) }, resume: []string{"--again"},
			stopped: "put back", resumed: "done", undone: "put back", undoStatus: 3, freshResumed: true, othersResumed: true},
		{name: "on hold", apply: []string{"--hold", "1h"}, stopped: "on hold", resumed: "on hold", undone: "undone", freshResumed: true, othersResumed: true},
		{name: "hold expired there", apply: []string{"--hold", "3s"}, after: func(y *line) { y.expires() },
			stopped: "on hold", resumed: "hold expired", resumeStatus: 3, undone: "hold expired", undoStatus: 3},
		{name: "done", stopped: "done", resumed: "done", undone: "undone", freshResumed: true, othersResumed: true},
		{name: "undone there by hand", after: func(y *line) { y.local("kiosk-3", "undo", "--yes") },
			stopped: "done", resumed: "done", undone: "undone", othersResumed: true},
		{name: "edited there since", after: func(y *line) { y.write("kiosk-3", "etc/kiosk.conf", "upstream = depot-5\n") },
			stopped: "done", resumed: "done", undone: "left in part", undoStatus: 6, othersResumed: true, editedInUndo: true},
		{name: "its history is another one", after: func(y *line) { require.NoError(y.t, os.RemoveAll(y.path("kiosk-3", "state"))) },
			stopped: "done", resumed: "done", undone: "another history", undoStatus: 3, freshResumed: true, editedInUndo: true, othersResumed: true},
		{name: "told to write, and its history is another one by now", before: func(y *line) { y.muteAt("kiosk-3", 2) },
			after:   func(y *line) { y.settled("kiosk-3"); require.NoError(y.t, os.RemoveAll(y.path("kiosk-3", "state"))) },
			stopped: "no answer", resumed: "another history", resumeStatus: 3, undone: "another history", undoStatus: 3, freshResumed: true, editedInUndo: true, othersResumed: true},
		{name: "answers that do not fit", before: func(y *line) {
			y.onCall("kiosk-3", 2, `echo '{"frizzel_fleet":1,"program":"'"$VERSION"'"}'; read -r _; echo '{"end":{"state":"gone"}}'; exit`)
		},
			stopped: "strange answers", resumed: "done", undone: "not written", freshResumed: true, othersResumed: true},
	} {
		for _, command := range []string{"resume", "undo"} {
			t.Run(row.name+", "+command, func(t *testing.T) {
				y := newLine(t, 4)
				if row.before != nil {
					row.before(y)
				}
				_, said, _ := y.fleet("apply", append(append(yes, "--wave", "1"), row.apply...)...)
				require.Equal(t, row.stopped, y.state("f1", "kiosk-3"), said)
				if row.after != nil {
					row.after(y)
				}
				var status int
				if command == "resume" {
					_, said, status = y.on("resume", "f1", row.resume...)
					require.Equal(t, row.resumed, y.state("f1", "kiosk-3"), said)
					require.Equal(t, row.resumeStatus, status, said)
					if !row.editedInUndo {
						y.is("kiosk-3", row.freshResumed)
					}
					if row.othersResumed {
						y.is("kiosk-1", true)
					}
					return
				}
				_, said, status = y.on("undo", "f1")
				require.Equal(t, row.undone, y.state("f1", "kiosk-3"), said)
				require.Equal(t, row.undoStatus, status, said)
				for _, h := range y.hosts {
					if h != "kiosk-3" || !row.editedInUndo {
						y.is(h, false)
					}
				}
			})
		}
	}
}

// local runs a command on a host as its own administrator does.
func (y *line) local(host string, args ...string) {
	c := exec.Command(binary, args...)
	c.Env = append(os.Environ(), "FRIZZEL_STATE="+y.path(host, "state"))
	out, err := c.CombinedOutput()
	require.NoError(y.t, err, string(out))
}

// onCall has a host do something when it is called for the nth time from now.
func (y *line) onCall(host string, n int, shell string) {
	text := strings.Replace(standIn, "case $mode in", fmt.Sprintf("if [ $host = %s ] && [ $(wc -l <\"$root/calls\") = %d ]; then\n%s\nfi\ncase $mode in", host, n, shell), 1)
	require.NoError(y.t, os.WriteFile(filepath.Join(y.dir, "shell"), []byte(text), 0o755))
}

// muteAt has a host do what it is told at its nth call, and not answer.
func (y *line) muteAt(host string, n int) {
	y.onCall(host, n, `"$@" | dd bs=1 count=240 2>/dev/null; exit`)
}

// A host whose changes make no sense is named, and nothing is written.
func TestFleetWithHostsThatLie(t *testing.T) {
	y := newLine(t, 3)
	for _, mode := range []string{"edits", "rules", "outside"} {
		y.mode("kiosk-2", mode)
		_, said, status := y.fleet("apply", "--yes")
		require.Equal(t, 4, status, said)
		require.Contains(t, said, "its answers do not fit", mode)
		y.all(false)
	}
}

// A wave in which something fails is the last one; with --all-or-none everything goes back. Nothing is written at all if
// a host refuses or cannot be reached.
func TestFleetWaves(t *testing.T) {
	y := newLine(t, 8)
	y.write("kiosk-4", "etc/broken", "")
	proof := []string{"--yes", "--first-wave", "2", "--wave", "3", "--prove", "! test -e " + etc + "/broken"}
	out, said, status := y.fleet("apply", proof...)
	require.Equal(t, 3, status, said)
	require.Regexp(t, `kiosk-4 +put back .*the proof failed`, out)
	for i, h := range y.hosts {
		y.is(h, i < 5 && h != "kiosk-4")
	}
	_, said, status = y.on("undo", "f1")
	require.Equal(t, 3, status, said)
	y.all(false)
	_, said, status = y.fleet("apply", append(proof, "--all-or-none")...)
	require.Equal(t, 3, status, said)
	y.all(false)

	y.mode("kiosk-8", "away")
	_, said, status = y.fleet("apply", "--yes")
	require.Equal(t, 4, status, said)
	require.Contains(t, said, "--skip-unreachable")
	y.all(false)
	require.Empty(t, y.reviews("kiosk-1"), "a review that nobody will write is not kept")
	y.mode("kiosk-8", "")
	require.NoError(t, os.RemoveAll(y.path("kiosk-8", "state")))
	require.NoError(t, os.Symlink(y.path("kiosk-7", "state"), y.path("kiosk-8", "state")))
	_, said, status = y.fleet("apply", "--yes")
	require.NotZero(t, status, said)
	y.all(false)
}

// A hold is renewed while waves are written, kept by a word, and ends by itself where nobody says it.
func TestFleetHold(t *testing.T) {
	y := newLine(t, 3)
	_, said, status := y.fleet("apply", "--yes", "--wave", "1", "--hold", "5s", "--prove", "sleep 2")
	require.Zero(t, status, said) // it takes six seconds, and the first host's hold is not over
	y.all(true)
	_, said, status = y.on("keep", "f1")
	require.Zero(t, status, said)
	time.Sleep(5500 * time.Millisecond)
	y.all(true)
	require.Equal(t, "done", y.state("f1", "kiosk-1"))
}

// The control side is killed at random moments, and the run resumed or undone: every host is new or old as a whole, and
// written once.
func TestFleetKilledAtAnyMoment(t *testing.T) {
	rounds := 12
	if n, err := strconv.Atoi(os.Getenv("FRIZZEL_KILLS")); err == nil {
		rounds = n
	}
	random := rand.New(rand.NewPCG(17, 4))
	cut := 0
	for round := range rounds {
		y := newLine(t, 6)
		ctx, cancel := context.WithTimeout(t.Context(), time.Duration(50+random.IntN(350))*time.Millisecond)
		c := exec.Command(binary, "fleet", "apply", "--yes", "--through", y.dir+"/shell {=host}", "--hosts", "hosts.csv", "-r", "move.friz", "--wave", "2", etc)
		c.Dir = y.dir
		require.NoError(t, c.Start())
		go func() {
			<-ctx.Done()
			_ = c.Process.Signal(syscall.SIGKILL)
		}()
		err := c.Wait()
		cancel()
		if err != nil {
			cut++
		}
		time.Sleep(100 * time.Millisecond) // what a host was told it may be doing still
		if out, _, _ := frizzel(t, y.dir, "fleet", "history"); !strings.Contains(out, "f1") {
			y.all(false)
			continue
		}
		if round%2 == 0 {
			_, said, status := y.on("resume", "f1")
			require.Zero(t, status, said)
			y.all(true)
			for _, h := range y.hosts {
				require.Len(t, y.runs(h), 1, "it was written once")
			}
		}
		_, said, status := y.on("undo", "f1")
		require.Zero(t, status, said)
		y.all(false)
	}
	t.Logf("%d of %d runs were cut off", cut, rounds)
}

// runs lists the runs of a host that wrote files and were not put back.
func (y *line) runs(host string) (runs []string) {
	c := exec.Command(binary, "history")
	c.Env = append(os.Environ(), "FRIZZEL_STATE="+y.path(host, "state"))
	out, err := c.Output()
	require.NoError(y.t, err)
	for line := range strings.Lines(string(out)) {
		if strings.Contains(line, " done ") {
			runs = append(runs, line)
		}
	}
	return runs
}

// The review shows how many hosts have a change; what is left out stays on all that have it.
func TestFleetReview(t *testing.T) {
	y := newLine(t, 5)
	y.write("kiosk-2", "etc/kiosk.conf", "upstream = depot-3 # east\n")
	y.write("kiosk-1", "etc/boards.yaml", "boards:\n  - feed: depot-3\n")
	term := atTerminalOf(t, 110, 24, y.dir, "fleet", "apply", "--through", y.dir+"/shell {=host}", "--hosts", "hosts.csv", "-r", "move.friz", etc)
	term.shows("boards.yaml @kiosk-1", "kiosk.conf @kiosk-2", "kiosk.conf ×4", "clock.ini ×5", "$['boards'][0]['feed']")
	term.press("\x1b[C\x1b[C\x1b[C") // to the clocks
	term.shows("+server = {=gate}")
	term.press(" ")
	term.press("w")
	term.expect("1 change left out")
	term.press("w")
	term.ends(0)
	for _, h := range y.hosts {
		require.Equal(t, "[clock]\nserver = 192.0.2.30\nhost = depot-4\n", y.read(h, "etc/clock.ini"))
		require.Contains(t, y.read(h, "etc/kiosk.conf"), "depot-4")
	}
}

// A host without the program gets it, and uses what it got before; one that did not arrive whole is not started.
func TestFleetSendsTheProgram(t *testing.T) {
	y := newLine(t, 2)
	text := strings.ReplaceAll(standIn, `PATH="$PROGRAM:$PATH"`, `HOME="$root"`)
	require.NoError(t, os.WriteFile(filepath.Join(y.dir, "shell"), []byte(text), 0o755))
	_, said, status := y.fleet("preview")
	require.Equal(t, 4, status, said)
	if os.Geteuid() == 0 {
		t.Skip("root's programs are in one directory of the machine")
	}
	for range 2 {
		_, said, status = y.fleet("preview", "--send-program")
		require.Zero(t, status, said)
	}
	sent, err := filepath.Glob(y.path("kiosk-1", ".cache/frizzel-program/*"))
	require.NoError(t, err)
	require.Len(t, sent, 1)
	require.NoError(t, os.WriteFile(sent[0], []byte("#!/bin/sh\necho not this one\n"), 0o700))
	_, said, status = y.fleet("preview", "--send-program")
	require.Zero(t, status, said)
}

// A thousand hosts are reviewed, written and undone, and the control side needs little memory for each.
func TestFleetOfAThousand(t *testing.T) {
	if os.Getenv("FRIZZEL_ROUNDS") == "" {
		t.Skip("it takes half a minute")
	}
	y := newLine(t, 1000)
	out, said, status := y.fleet("preview", "--format", "summary")
	require.Zero(t, status, said)
	require.Equal(t, 1, strings.Count(out, "# 1000 hosts"), out)
	start := time.Now()
	c := exec.Command(binary, "fleet", "apply", "--yes", "--through", y.dir+"/shell {=host}", "--hosts", "hosts.csv", "-r", "move.friz", "--wave", "100", etc)
	c.Dir = y.dir
	text, err := c.CombinedOutput()
	require.NoError(t, err, string(text))
	memory := c.ProcessState.SysUsage().(*syscall.Rusage).Maxrss
	t.Logf("written in %s, with %d KiB on the control side", time.Since(start).Round(time.Second), memory)
	require.Less(t, memory, int64(100<<10), "KiB")
	y.all(true)
	_, said, status = y.on("undo", "f1")
	require.Zero(t, status, said)
	y.all(false)
}
