package main

import (
	"bufio"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"
	"unicode/utf16"

	"github.com/stretchr/testify/require"
)

// An editor is a client of the language server, which speaks the protocol over the program's streams.
type editor struct {
	t    testing.TB
	cmd  *exec.Cmd
	in   io.WriteCloser
	last int

	mu      sync.Mutex
	heard   *sync.Cond
	answers map[int]message
	notes   []message
}

type message struct {
	ID     *int            `json:"id"`
	Method string          `json:"method"`
	Params json.RawMessage `json:"params"`
	Result json.RawMessage `json:"result"`
	Error  *struct {
		Code    int    `json:"code"`
		Message string `json:"message"`
	} `json:"error"`
}

type object = map[string]any

// newEditor starts a language server in a directory.
func newEditor(t testing.TB, dir string) *editor {
	e := &editor{t: t, cmd: exec.Command(binary, "language-server", "--stdio", "--clientProcessId=1"), answers: map[int]message{}}
	e.heard = sync.NewCond(&e.mu)
	e.cmd.Dir, e.cmd.Stderr = dir, os.Stderr
	var err error
	e.in, err = e.cmd.StdinPipe()
	require.NoError(t, err)
	out, err := e.cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, e.cmd.Start())
	t.Cleanup(func() { _ = e.cmd.Process.Kill(); _ = e.cmd.Wait() })
	go e.listen(bufio.NewReader(out))
	return e
}

func (e *editor) listen(out *bufio.Reader) {
	for {
		size := 0
		for {
			line, err := out.ReadString('\n')
			if err != nil {
				return
			}
			if line = strings.TrimSpace(line); line == "" {
				break
			}
			if n, ok := strings.CutPrefix(line, "Content-Length: "); ok {
				size, _ = strconv.Atoi(n)
			}
		}
		text := make([]byte, size)
		if _, err := io.ReadFull(out, text); err != nil {
			return
		}
		var m message
		if json.Unmarshal(text, &m) != nil {
			continue
		}
		e.mu.Lock()
		if m.Method == "" && m.ID != nil {
			e.answers[*m.ID] = m
		} else {
			e.notes = append(e.notes, m)
		}
		e.heard.Broadcast()
		e.mu.Unlock()
	}
}

// raw sends bytes as they are.
func (e *editor) raw(text string) {
	_, err := io.WriteString(e.in, text)
	require.NoError(e.t, err)
}

func (e *editor) send(m object) {
	m["jsonrpc"] = "2.0"
	text, err := json.Marshal(m)
	require.NoError(e.t, err)
	e.raw(fmt.Sprintf("Content-Length: %d\r\n\r\n%s", len(text), text))
}

func (e *editor) tell(method string, params any) { e.send(object{"method": method, "params": params}) }

// begin sends a request, and returns its number.
func (e *editor) begin(method string, params any) int {
	e.last++
	e.send(object{"id": e.last, "method": method, "params": params})
	return e.last
}

// answer waits for the answer to a request.
func (e *editor) answer(id int) message {
	stop := time.AfterFunc(patience, e.heard.Broadcast)
	defer stop.Stop()
	e.mu.Lock()
	defer e.mu.Unlock()
	for begun := time.Now(); ; e.heard.Wait() {
		if m, ok := e.answers[id]; ok {
			return m
		}
		require.Less(e.t, time.Since(begun), patience, "no answer")
	}
}

// ask sends a request, and decodes its result.
func (e *editor) ask(method string, params, result any) {
	e.t.Helper()
	m := e.answer(e.begin(method, params))
	require.Nil(e.t, m.Error, "%s: %+v", method, m.Error)
	require.NoError(e.t, json.Unmarshal(m.Result, result), string(m.Result))
}

// fails sends a request, and returns the code of its error.
func (e *editor) fails(method string, params any) int {
	e.t.Helper()
	m := e.answer(e.begin(method, params))
	require.NotNil(e.t, m.Error, string(m.Result))
	return m.Error.Code
}

// start initializes the session with the encodings of positions that the client knows, and opens a script.
func (e *editor) start(encodings ...string) (encoding string) {
	var result struct {
		Capabilities struct{ PositionEncoding string }
	}
	e.ask("initialize", object{"capabilities": object{
		"general": object{"positionEncodings": encodings}, "workspace": object{"workspaceEdit": object{"documentChanges": true}},
	}}, &result)
	e.tell("initialized", object{})
	return result.Capabilities.PositionEncoding
}

func (e *editor) open(uri, text string) {
	e.tell("textDocument/didOpen", object{"textDocument": object{"uri": uri, "languageId": "frizzel", "version": 1, "text": text}})
}

type place struct {
	Line      int `json:"line"`
	Character int `json:"character"`
}

type textEdit struct {
	Range   struct{ Start, End place }
	NewText string
}

// at returns the position of a text in another one, plus some bytes, in UTF-16.
func at(text, of string, plus int) place {
	i := strings.Index(text, of) + plus
	start := strings.LastIndexByte(text[:i], '\n') + 1
	return place{strings.Count(text[:i], "\n"), len(utf16.Encode([]rune(text[start:i])))}
}

// edited applies edits to a text, with positions in UTF-16.
func edited(text string, edits []textEdit) string {
	offset := func(p place) int {
		lines := strings.SplitAfter(text, "\n")
		at := 0
		for _, l := range lines[:p.Line] {
			at += len(l)
		}
		units := utf16.Encode([]rune(lines[min(p.Line, len(lines)-1)]))
		return at + len(string(utf16.Decode(units[:p.Character])))
	}
	slices.SortFunc(edits, func(a, b textEdit) int { return offset(b.Range.Start) - offset(a.Range.Start) })
	out := text
	for _, e := range edits {
		out = out[:offset(e.Range.Start)] + e.NewText + out[offset(e.Range.End):]
	}
	return out
}

func where(uri string, p place) object {
	return object{"textDocument": object{"uri": uri}, "position": p}
}

// problems waits for the problems of a version of a document.
func (e *editor) problems(uri string, version, atLeast int) (all []string) {
	e.t.Helper()
	require.Eventually(e.t, func() bool {
		e.mu.Lock()
		defer e.mu.Unlock()
		for _, m := range e.notes {
			var p struct {
				URI         string
				Version     int
				Diagnostics []struct {
					Message string
					Range   struct{ Start, End place }
				}
			}
			if json.Unmarshal(m.Params, &p) == nil && p.URI == uri && p.Version == version && len(p.Diagnostics) >= atLeast {
				all = nil
				for _, d := range p.Diagnostics {
					all = append(all, fmt.Sprintf("%d:%d-%d %s", d.Range.Start.Line, d.Range.Start.Character, d.Range.End.Character, strings.ReplaceAll(d.Message, "\n", " / ")))
				}
				return true
			}
		}
		return false
	}, patience, 5*time.Millisecond)
	return all
}

// An editor gets problems, completions, meanings, definitions, new names, layout and fixes, for scripts as they are typed.
func TestLanguageServer(t *testing.T) {
	dir := t.TempDir()
	write := func(name, text string) (uri string) {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
		return "file://" + filepath.Join(dir, name)
	}
	shared := write("shared.friz", "param old = \"depot-3\"\n")
	const text = "use \"shared.friz\"\n\nrule host {\n    replace word \"🚂{=depot}\" with \"{=depot upper}\"\n}\n\nrule mark { when file changed by host\ninsert at end \"x\" unless present\n}\n" +
		"example of host {\n    given \"🚂yard-1\"\n    gives \"nothing\"\n}\n"
	uri := write("main.friz", text)
	e := newEditor(t, dir)
	require.Equal(t, "utf-16", e.start())
	e.open(shared, "param depot = \"yard-1\" about \"where the trains are\"\n") // not saved yet
	e.open(uri, text)

	require.Equal(t, []string{`9:0-7 this example fails / it wants "nothing" / but gives "YARD-1"`}, e.problems(uri, 1, 1))

	var hover struct {
		Contents struct{ Value string }
		Range    struct{ Start, End place }
	}
	e.ask("textDocument/hover", where(uri, at(text, "depot}", 1)), &hover)
	require.Contains(t, hover.Contents.Value, `Its value is "yard-1"`)
	require.Equal(t, at(text, "depot}", 0), hover.Range.Start)
	e.ask("textDocument/hover", where(uri, at(text, "replace", 1)), &hover)
	require.Contains(t, hover.Contents.Value, "replace PATTERN with TEXT")
	e.ask("textDocument/hover", where(uri, at(text, "upper", 1)), &hover)
	require.Contains(t, hover.Contents.Value, "in capitals")

	offers := func(p place) (labels []string) {
		var list struct{ Items []struct{ Label string } }
		e.ask("textDocument/completion", where(uri, p), &list)
		for _, item := range list.Items {
			labels = append(labels, item.Label)
		}
		return labels
	}
	require.Equal(t, []string{"text", "word", "regex"}, offers(at(text, "word \"🚂", 2))[1:])
	require.Equal(t, "depot", offers(at(text, "depot upper", 0))[0])
	require.Contains(t, offers(at(text, "upper", 2)), "lower")
	require.Equal(t, []string{"host", "mark"}, offers(at(text, "host\ninsert", 0)))
	require.NotContains(t, offers(at(text, "replace", 0)), "param")

	var found struct {
		URI   string
		Range struct{ Start place }
	}
	e.ask("textDocument/definition", where(uri, at(text, "depot upper", 1)), &found)
	require.Equal(t, shared, found.URI)
	require.Equal(t, place{0, 6}, found.Range.Start)
	e.ask("textDocument/definition", where(uri, at(text, "shared.friz", 1)), &found)
	require.Equal(t, shared, found.URI)

	var renamed struct {
		DocumentChanges []struct {
			TextDocument struct {
				URI     string
				Version *int
			}
			Edits []textEdit
		}
	}
	e.ask("textDocument/rename", object{"textDocument": object{"uri": uri}, "position": at(text, "depot}", 1), "newName": "place"}, &renamed)
	require.Len(t, renamed.DocumentChanges, 2)
	require.Equal(t, 1, *renamed.DocumentChanges[0].TextDocument.Version)
	fresh := edited(text, renamed.DocumentChanges[0].Edits)
	require.Equal(t, strings.ReplaceAll(text, "{=depot", "{=place"), fresh)
	require.Equal(t, "param place = \"yard-1\"", edited("param depot = \"yard-1\"", renamed.DocumentChanges[1].Edits))
	e.ask("textDocument/rename", object{"textDocument": object{"uri": uri}, "position": at(text, "host {", 1), "newName": "names"}, &renamed)
	require.Equal(t, strings.NewReplacer("rule host", "rule names", "by host", "by names", "of host", "of names").Replace(text), edited(text, renamed.DocumentChanges[0].Edits))
	require.Equal(t, -32803, e.fails("textDocument/rename", object{"textDocument": object{"uri": uri}, "position": at(text, "host {", 1), "newName": "mark"}))

	var edits []textEdit
	e.ask("textDocument/formatting", object{"textDocument": object{"uri": uri}}, &edits)
	laid := exec.Command(binary, "fmt", "-")
	laid.Stdin = strings.NewReader(text)
	want, err := laid.Output()
	require.NoError(t, err)
	require.Equal(t, string(want), edited(text, edits))

	// What the checker says to do is done by fixes, one after the other, until nothing is wrong.
	wrong := "🚂 = 1\nrule x {\n    replace wrd \"a\" with \"{=depto}\"\n    replace regex '192.0.2.1' with \"b\"\n    insert at top \"c\"\n}\nin section \"[x]\" remove regex 'a('\nremove text \"🚂"
	wrong = wrong[strings.IndexByte(wrong, '\n')+1:]
	now := "use \"shared.friz\"\n" + wrong
	for version := 2; ; version++ {
		require.Less(t, version, 20, now)
		e.tell("textDocument/didChange", object{"textDocument": object{"uri": uri, "version": version}, "contentChanges": []object{{"text": now}}})
		if len(e.problems(uri, version, 0)) == 0 {
			break
		}
		var actions []struct {
			Title string
			Edit  struct{ DocumentChanges []struct{ Edits []textEdit } }
		}
		e.ask("textDocument/codeAction", object{"textDocument": object{"uri": uri}, "range": object{"start": place{}, "end": place{99, 0}}, "context": object{"diagnostics": []any{}}}, &actions)
		require.NotEmpty(t, actions, "%s\n%q", now, e.problems(uri, version, 0))
		now = edited(now, actions[0].Edit.DocumentChanges[0].Edits)
	}
	require.Equal(t, "use \"shared.friz\"\nrule x {\n    replace word \"a\" with \"{=depot}\"\n    replace regex '192\\.0\\.2\\.1' with \"b\"\n    insert at top \"c\" unless present\n}\nin section \"x\" remove text 'a('\nremove text \"🚂\"", now)

	// What is typed piece by piece is the same text.
	e.tell("textDocument/didChange", object{"textDocument": object{"uri": uri, "version": 30}, "contentChanges": []object{
		{"text": "rule x {\n}\n"},
		{"range": object{"start": place{0, 5}, "end": place{0, 6}}, "text": "🚂y"},
		{"range": object{"start": place{0, 5}, "end": place{0, 7}}, "text": ""},
		{"range": object{"start": place{1, 0}, "end": place{1, 0}}, "text": "    remove word \"🚂\"\n    xx"},
	}})
	require.Equal(t, []string{`2:4-6 no statement begins with "xx" / statements begin with words such as replace, remove, insert, delete or settle`}, e.problems(uri, 30, 1)[:1])

	var nothing any
	e.ask("shutdown", nil, &nothing)
	require.Equal(t, -32600, e.fails("textDocument/hover", where(uri, place{})))
	e.tell("exit", nil)
	require.NoError(t, e.cmd.Wait())
}

// A client may say anything at any time; what it says well is answered.
func TestLanguageServerNonsense(t *testing.T) {
	e := newEditor(t, t.TempDir())
	require.Equal(t, -32002, e.fails("textDocument/hover", where("file:///x.friz", place{})))
	e.raw("hello?\r\n\r\nContent-Length: 99999999999999\r\n\r\nContent-Length: 5\r\n\r\n{}}}{Content-Length: 2\r\n\r\n[]" + strings.Repeat("x", 100_000) + "\r\n")
	require.Equal(t, "utf-8", e.start("utf-7", "utf-8", "utf-16"))
	require.Equal(t, -32600, e.fails("initialize", object{}))
	require.Equal(t, -32601, e.fails("textDocument/teleport", object{}))
	for _, params := range []any{nil, 7, "x", []int{1}, object{"position": "far"}, object{"textDocument": object{"uri": "file:///nowhere.friz"}, "position": place{-1, -5}}} {
		for _, method := range []string{"textDocument/hover", "textDocument/completion", "textDocument/definition", "textDocument/rename", "textDocument/formatting", "textDocument/codeAction"} {
			e.fails(method, params)
		}
		e.tell("textDocument/didChange", params)
		e.tell("textDocument/didOpen", params)
		e.tell("textDocument/didClose", params)
		e.tell("$/cancelRequest", params)
	}
	const uri = "untitled:Untitled-1"
	e.open(uri, "rule x {\n    remove word \"é\"\n}\n")
	for _, p := range []place{{-3, 0}, {0, -1}, {1, 17}, {1, 18}, {1, 9999}, {2, 0}, {9999, 9999}} {
		var result any
		e.ask("textDocument/hover", where(uri, p), &result)
		e.ask("textDocument/completion", where(uri, p), &result)
	}
	e.tell("textDocument/didChange", object{"textDocument": object{"uri": uri, "version": 2}, "contentChanges": []object{
		{"range": object{"start": place{2, 0}, "end": place{0, 0}}, "text": "x"}, // ends before it begins: nothing changes
	}})
	e.tell("textDocument/didChange", object{"textDocument": object{"uri": uri, "version": 3}, "contentChanges": []object{
		{"range": object{"start": place{1, 17}, "end": place{1, 19}}, "text": "e"}, // é is two units here
	}})
	var edits []textEdit
	e.ask("textDocument/formatting", object{"textDocument": object{"uri": uri}}, &edits)
	require.Empty(t, edits)
	_ = e.in.Close()
	require.Error(t, e.cmd.Wait())
	require.Equal(t, 1, e.cmd.ProcessState.ExitCode(), "it ended without shutdown")
}

// A text of 5 MB is answered, and what is cancelled ends.
func TestLanguageServerLarge(t *testing.T) {
	var b strings.Builder
	for i := 0; b.Len() < 5<<20; i++ {
		fmt.Fprintf(&b, "rule r%d {\n    replace word \"depot-%d\" with \"{=host}\" keeping case\n}\n\n", i, i)
	}
	text := "param host = \"yard\"\n\n" + b.String()
	const uri = "file:///large.friz"
	e := newEditor(t, t.TempDir())
	e.start()
	e.open(uri, text)
	line := strings.Count(text, "\n") / 2
	var cancelled int
	for i := range 5 {
		e.tell("textDocument/didChange", object{"textDocument": object{"uri": uri, "version": 2 + i}, "contentChanges": []object{
			{"range": object{"start": place{line, 0}, "end": place{line, 0}}, "text": " "},
		}})
		id := e.begin("textDocument/formatting", object{"textDocument": object{"uri": uri}})
		e.tell("$/cancelRequest", object{"id": id})
		if m := e.answer(id); m.Error != nil {
			require.Equal(t, -32800, m.Error.Code)
			cancelled++
		}
	}
	require.Positive(t, cancelled)
	var hover struct{ Contents struct{ Value string } }
	e.ask("textDocument/hover", where(uri, place{3, 6}), &hover)
	require.Contains(t, hover.Contents.Value, "replace PATTERN with TEXT")
	require.Empty(t, e.problems(uri, 6, 0))
}

// BenchmarkLanguageServer measures answers for a script of 2,000 rules, each after a key.
func BenchmarkLanguageServer(b *testing.B) {
	var text strings.Builder
	text.WriteString("param host = \"yard\"\n\n")
	for i := range 2000 {
		fmt.Fprintf(&text, "rule r%d {\n    replace word \"depot-%d\" with \"{=host}\"\n}\n\n", i, i)
	}
	const uri = "file:///rules.friz"
	e := newEditor(b, b.TempDir())
	e.start()
	e.open(uri, text.String())
	e.problems(uri, 1, 0)
	took := map[string][]time.Duration{}
	for n := 0; b.Loop(); n++ {
		e.tell("textDocument/didChange", object{"textDocument": object{"uri": uri, "version": 2 + n}, "contentChanges": []object{
			{"range": object{"start": place{4003, 4}, "end": place{4003, 4}}, "text": " "},
		}})
		for _, method := range []string{"completion", "hover", "definition", "rename", "formatting", "codeAction"} {
			params := where(uri, place{4003, 40 + n})
			params["newName"], params["range"] = "place", object{"start": place{1, 0}, "end": place{2, 0}}
			begun := time.Now()
			e.answer(e.begin("textDocument/"+method, params))
			took[method] = append(took[method], time.Since(begun))
		}
	}
	for method, all := range took {
		slices.Sort(all)
		b.ReportMetric(float64(all[len(all)/2].Microseconds())/1000, "ms-"+method)
		b.ReportMetric(float64(all[len(all)*95/100].Microseconds())/1000, "ms-95%-"+method)
	}
}
