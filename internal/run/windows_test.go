package run

import (
	"bytes"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/require"
	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/japanese"
	"golang.org/x/text/encoding/unicode"

	"frizzel/core/diff"
	"frizzel/core/edit"
	"frizzel/core/lines"
	"frizzel/core/program"
	"frizzel/core/textfile"
	"frizzel/internal/change"
)

// outcome is all that a run says of one file.
type outcome struct {
	Text, Diff, Told string
	Changes          []int
	Notes            []FileNote
	Unmet            []string
	Unknown          int
}

// ways are scripts that may be run over a file window by window, in every way that there is.
var ways = []string{
	"replace word \"depot\" with \"yard\"",
	"replace regex '(\\w+)-(\\d)' with \"{=2}-{=1}\\nand {=1}\" last",
	"rule a { replace text \"a\" with \"{=count}\" }\nrule b { on lines with text \"b\" { insert below \"n\" } }",
	"on lines 2 to 9 { replace text \"é\" with \"{=line}\" }",
	"on lines with text \"a\" { delete }\nreplace text \"駅\" with \"e\"",
	"on lines with text \"a\" { delete }\nrequire at most 3 of word \"depot\"",
	"rule x { expect at most 2 changes\n trim line ends }\nforbid text \"d\"",
	"comment out with \"# \"\nreplace text \"depot\" with \"→\"",
	"use line endings crlf\nreplace text \"b\" with \"{=count-all}\"",
	"on lines from text \"a\" to text \"b\" { replace text \"depot\" with \"{=count}\"\n comment out with \"; \" }",
	"in paragraph with text \"depot-3\" { replace text \"a\" with \"\\n\"\n comment out with \"#\" }",
	"in block with text \"{\" { replace text \"a\" with \"x\"\n comment out with \"#\" }\nin section \"a\" replace text \"b\" with \"{=line}\"",
	"replace each text {\n\"depot\" with \"é\"\n \"a\" with \"\"\n}",
}

// A file that is gone through window by window gives what it gives as a whole, whatever the
// script, the encoding and the windows: the text, the diff, the counts, the notes and their
// lines, what is refused and why, what is found and where.
func TestWindowsAreTheWhole(t *testing.T) {
	encodings := map[string]encoding.Encoding{
		"": encoding.Nop, "utf-16le": unicode.UTF16(unicode.LittleEndian, unicode.IgnoreBOM), "shift_jis": japanese.ShiftJIS,
		"windows-1252": charmap.Windows1252,
	}
	windowed := 0
	for seed := range uint64(700) {
		r := rand.New(rand.NewPCG(seed, 31))
		name := []string{"", "", "utf-16le", "shift_jis", "windows-1252"}[r.IntN(5)]
		var text strings.Builder
		for range 12 + r.IntN(60) {
			words := []string{"depot ", "a", "b ", "é", "駅", "depot-3", "\n", "\n", "\r\n", "\t ", "{", "}", "\n[a]\n"}
			text.WriteString(words[r.IntN(len(words))])
		}
		raw, err := encoding.ReplaceUnsupported(encodings[name].NewEncoder()).Bytes([]byte(text.String()))
		require.NoError(t, err)
		if name == "" && r.IntN(3) == 0 {
			raw = bytes.ReplaceAll(raw, []byte("é"), []byte("\xe9"))
		}
		if name == "" && r.IntN(3) == 0 {
			raw = append([]byte("\xef\xbb\xbf"), raw...)
		}
		dir := t.TempDir()
		for _, file := range []string{"1", "2"} { // what is counted goes on in the second
			require.NoError(t, os.WriteFile(filepath.Join(dir, file), raw, 0o644))
		}
		rules := ways[r.IntN(len(ways))]
		run := func(window int64) (all []outcome, found string) {
			plan := planFor(t, rules, dir)
			plan.Encoding, plan.window = name, window
			s, err := plan.Do(t.Context(), func(r *Result) (bool, error) {
				if r.large != nil {
					windowed++
				}
				all = append(all, outcomeOf(t, r, raw))
				return seed%7 > 0, nil
			})
			require.NoError(t, err)
			all = append(all, outcome{Changes: s.Tally.Changes, Notes: s.Notes, Unmet: s.Tally.Unmet(), Unknown: s.Unknown})
			plan = planFor(t, rules, dir)
			plan.Encoding, plan.window = name, window
			for _, sought := range []Sought{Assertions, Changes} {
				_, err = plan.Find(t.Context(), sought, func(f *Found) error {
					n, err := f.Count()
					require.NoError(t, err)
					found += fmt.Sprintln(f.At.Path, n)
					return f.Each(0, func(s *Sight) error {
						for i, m := range s.Matches {
							found += fmt.Sprintf("%d: %d %q %q\n", s.Nth+i, s.Line+bytes.Count(s.File.Text[:m.Start], []byte("\n")), s.File.Text[m.Start:m.End], m.New)
						}
						return err
					})
				})
				require.NoError(t, err)
			}
			return all, found
		}
		whole, wholeFound := run(1 << 30)
		parts, partsFound := run(int64(2 + 2*r.IntN(len(raw)/2/manyWindows+1)))
		require.Len(t, parts, len(whole))
		for i := range whole {
			at := fmt.Sprintf("seed %d, %s: %s\n%q", seed, name, rules, raw)
			require.Equal(t, whole[i].Text, parts[i].Text, at)
			require.Equal(t, whole[i].Diff, parts[i].Diff, at)
			whole[i].Diff, parts[i].Diff = "", ""
			require.Equal(t, whole[i], parts[i], at)
		}
		require.Equal(t, wholeFound, partsFound, "seed %d, %s: %s\n%q", seed, name, rules, raw)
	}
	require.Greater(t, windowed, 500)
}

// What a person is asked about a large file stays what it was, whatever is read afterwards, and is
// what is asked about the whole; what is left is left.
func TestQuestionsInWindows(t *testing.T) {
	dir := t.TempDir()
	var text strings.Builder
	for i := range 400 {
		fmt.Fprintf(&text, "line %d of %s\n", i, []string{"depot-3", "platform"}[min(i%7, 1)])
	}
	require.NoError(t, os.WriteFile(filepath.Join(dir, "log"), []byte(text.String()), 0o644))
	ask := func(window int64) (said []string, made string) {
		plan := planFor(t, "replace word \"depot-3\" with \"depot-4\"\nreplace word \"line\" with \"row {=count}\"", dir)
		plan.window = window
		all, _, err := plan.Collect(t.Context())
		require.NoError(t, err)
		require.Len(t, all, 1)
		require.Equal(t, window < 1<<20, all[0].large != nil)
		var proposals []program.Proposal
		require.NoError(t, all[0].Decide(t.Context(), func(p program.Proposal) program.Answer {
			p.Edits = slices.Clone(p.Edits)
			proposals = append(proposals, p)
			return program.Answer{Leave: p.Line%3 == 0}
		}))
		for _, p := range proposals {
			e := p.Edits[0]
			said = append(said, fmt.Sprintf("%d %d %d: %q %q", p.Key.Statement, p.Key.Origin, p.Line, p.Text[lines.Start(p.Text, 0, e.Start):e.End], e.New))
		}
		edits, err := edit.Gather(all[0].Change.Edits)
		require.NoError(t, err)
		return said, string(edits.Apply([]byte(text.String())))
	}
	want, whole := ask(1 << 20)
	require.Len(t, want, 400+58)
	for _, window := range []int64{20, 64, 300, 900} {
		got, made := ask(window)
		require.ElementsMatch(t, want, got)
		require.Equal(t, whole, made)
	}
}

// outcomeOf reads all that a result says.
func outcomeOf(t *testing.T, r *Result, raw []byte) outcome {
	o := outcome{Told: fmt.Sprint(r.Refuse, r.Decoded(), r.Changes()), Changes: r.Made.Changes}
	if r.Refuse != nil {
		return o
	}
	c := r.Change()
	edits, err := edit.Gather(c.Edits)
	require.NoError(t, err)
	require.Equal(t, c.Count(), len(edits))
	o.Text = string(edits.Apply(raw))
	for _, context := range []int{0, 2} {
		for _, text := range []diff.Windows{r.Bytes(context), r.Text(context)} {
			var hunks []diff.Hunk
			w := diff.Walk{Context: context, Hunk: func(h *diff.Hunk, _ bool) error {
				for i := range h.Lines {
					h.Lines[i].Text = slices.Clone(h.Lines[i].Text)
				}
				hunks = append(hunks, *h)
				return nil
			}}
			require.NoError(t, text(w.Add))
			require.NoError(t, w.End())
			o.Diff += string(diff.Unified(nil, "n", hunks, nil))
		}
	}
	return o
}

// changingFile is a file that someone changes while it is read: at the nth read a byte is another one.
type changingFile struct {
	content []byte
	reads   atomic.Int32
	nth     int32
	at      int
	to      byte
	lock    sync.Mutex
}

func (f *changingFile) ReadAt(p []byte, at int64) (int, error) {
	f.lock.Lock()
	defer f.lock.Unlock()
	if f.reads.Add(1) == f.nth {
		f.content[f.at] = f.to
	}
	n := copy(p, f.content[at:])
	if n < len(p) {
		return n, io.EOF
	}
	return n, nil
}

// The fingerprint of a large file covers exactly the bytes that the rules saw, whoever changes the file between two
// reads of one byte: else what was written in between would be overwritten.
func TestPrintOfWhatWasSeen(t *testing.T) {
	rules := planFor(t, "in paragraph with text \"b\" { replace text \"a\" with \"b\" }", "").Program
	changed := 0
	for seed := range uint64(4000) {
		r := rand.New(rand.NewPCG(seed, 77))
		var text strings.Builder
		for range 20 + r.IntN(60) {
			text.WriteString(strings.Repeat("x", r.IntN(1+r.IntN(60))) + "\n")
		}
		f := &changingFile{content: []byte(text.String()), nth: 1 + r.Int32N(20), at: r.IntN(text.Len()), to: "\nab"[r.IntN(3)]}
		form, err := textfile.FormOf(f.content, int64(text.Len()), textfile.Said{})
		require.NoError(t, err)
		var seen []byte
		parts := seed%2 == 1
		s := pass{
			large: &large{
				windows: textfile.Windows{Form: form, File: f, Size: int64(text.Len()), Width: 16},
				how:     program.Windowing{Order: program.AnyOrder, Parts: parts}, ending: "\n",
			},
			sums: true,
			work: func(w *pane) { w.res = rules.Run(program.Input{Text: w.Text, Window: &w.at}) },
			take: func(w *pane) error { seen = append(seen, w.Raw...); return nil },
		}
		if err := s.do(t.Context()); err != nil {
			require.ErrorIs(t, err, errChanged, "seed %d", seed)
			changed++
			continue
		}
		print := change.Print{}
		size := 16
		if parts {
			size = change.ChunkSize
		}
		for chunk := range slices.Chunk(seen, size) {
			print = print.With(change.SumOf(chunk), len(chunk))
		}
		require.Equal(t, print, s.print, "seed %d", seed)
	}
	require.Greater(t, changed, 100)
}
