package listing

import (
	"bytes"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"frizzel/core/lines"
)

// fileOf lists some lines of a text.
func fileOf(r *rand.Rand, name, text string) File {
	f := File{Name: name, Ending: "\n", Size: len(text)}
	if strings.Contains(text, "\r\n") {
		f.Ending = "\r\n"
	}
	number := 0
	for at := 0; at < len(text); {
		number++
		next := lines.Next([]byte(text), at, len(text))
		content := string(lines.Content([]byte(text[at:next])))
		if r.IntN(3) > 0 {
			f.Entries = append(f.Entries, Entry{Line: number, Start: at, End: at + len(content), Next: next, Old: content, New: content})
		}
		at = next
	}
	return f
}

var pieces = []string{
	"a", "host = depot-3", "", " ", "|", "12 | x", "\"q\"", "\t", "\x1b[2J", "é", "\xff\xfe", "\x00", "\r", "\u2028", "\v", "\U00100041", "\U0010FFFD", "駅 ", "-3 |", "conf/a",
}

func textOf(r *rand.Rand) string {
	var b strings.Builder
	for range r.IntN(12) {
		for range r.IntN(4) {
			b.WriteString(pieces[r.IntN(len(pieces))])
		}
		b.WriteString([]string{"\n", "\n", "\r\n"}[r.IntN(3)])
	}
	if r.IntN(2) == 0 {
		b.WriteString("last")
	}
	return b.String()
}

// Whatever files hold, a list that is saved as it was changes nothing. What is edited in it, in whatever order, is what
// changes in the files. All other bytes stay as they are.
func TestWhatIsEditedIsWhatChanges(t *testing.T) {
	names := []string{"conf/a", "12 | x", `"quoted"`, " space", "b\nc", "-3 |", "plain name.txt"}
	for seed := range uint64(4000) {
		r := rand.New(rand.NewPCG(seed, 9))
		var files []File
		var texts []string
		for _, name := range names[:1+r.IntN(len(names))] {
			text := textOf(r)
			texts = append(texts, text)
			files = append(files, fileOf(r, name, text))
			if f := &files[len(files)-1]; r.IntN(3) == 0 { // with what it is called
				f.Entries = append([]Entry{{Label: "name", Old: name, New: name}}, f.Entries...)
			}
		}
		var b bytes.Buffer
		require.NoError(t, Write(&b, files))
		list := b.String()
		if r.IntN(2) == 0 {
			list = strings.ReplaceAll(list, "\n", "\r\n") // some editors do
		}
		edits, called, err := Read(list, files)
		require.NoError(t, err, list)
		for i := range files {
			require.Empty(t, edits[i], "seed %d", seed)
			require.Empty(t, called[i], "seed %d", seed)
		}

		list, want, wantCalled := byHand(r, b.String(), files, texts)
		edits, called, err = Read(list, files)
		require.NoError(t, err, "seed %d\n%s", seed, list)
		for i := range files {
			require.Equal(t, wantCalled[i], called[i]["name"], "seed %d\n%s", seed, list)
			require.True(t, edits[i].Fits(len(texts[i])), "seed %d", seed)
			require.Equal(t, want[i], string(edits[i].Apply([]byte(texts[i]))), "seed %d\n%s", seed, list)
		}
	}
}

// byHand edits the list as a person may, and returns what is to become of the files, and their new names.
func byHand(r *rand.Rand, list string, files []File, texts []string) (string, []string, []string) {
	called := make([]string, len(files))
	rows := strings.Split(strings.TrimSuffix(list, "\n"), "\n")
	var out []string
	becomes := map[string]map[int][]string{} // what stands in place of a line: by file and byte
	file := -1
	entry := 0
	var moved []string
	flush := func() { out = append(out, moved...); moved = nil }
	for _, row := range rows {
		if i := fileNamed(row, files); i >= 0 {
			flush()
			file, entry = i, 0
			becomes[files[i].Name] = map[int][]string{}
			out = append(out, row)
			continue
		}
		if row == "" {
			flush()
			out = append(out, row)
			continue
		}
		e := files[file].Entries[entry]
		entry++
		in := becomes[files[file].Name]
		if e.Label != "" {
			switch r.IntN(3) {
			case 0:
				out, called[file] = append(out, "name | another | name"), "another | name"
			case 1:
				out = append(out, row)
			}
			continue
		}
		switch r.IntN(7) {
		case 0: // taken out of the list
		case 1:
			out = append(out, "-"+e.number()+" |")
			in[e.Start] = nil
		case 2:
			out = append(out, e.number()+" | new text")
			in[e.Start] = []string{"new text"}
		case 3:
			out = append(out, row, "| added", "|")
			in[e.Start] = []string{e.Old, "added", ""}
		case 4: // below the others of the file
			moved = append(moved, e.number()+" | moved")
			in[e.Start] = []string{"moved"}
		default:
			out = append(out, row)
		}
	}
	flush()
	var want []string
	for i, text := range texts {
		var b strings.Builder
		for at := 0; at < len(text); {
			next := lines.Next([]byte(text), at, len(text))
			ending := text[at+len(lines.Content([]byte(text[at:next]))) : next]
			fresh, ok := becomes[files[i].Name][at]
			switch {
			case !ok:
				b.WriteString(text[at:next])
			case len(fresh) > 0:
				b.WriteString(fresh[0])
				for _, l := range fresh[1:] {
					if ending == "" {
						b.WriteString(files[i].Ending + l)
					}
				}
				b.WriteString(ending)
				for _, l := range fresh[1:] {
					if ending != "" {
						b.WriteString(l + files[i].Ending)
					}
				}
			}
			at = next
		}
		want = append(want, b.String())
	}
	return strings.Join(out, "\n"), want, called
}

func fileNamed(row string, files []File) int {
	for i := range files {
		if shownName(files[i].Name) == row {
			return i
		}
	}
	return -1
}

// What cannot be read is said with its line, and nothing is guessed.
func TestMistakes(t *testing.T) {
	files := []File{
		{Name: "a", Ending: "\n", Entries: []Entry{{Line: 3, Start: 4, End: 5, Next: 6, Old: "x", New: "x"}}},
		{Name: "v", Ending: "\n", Entries: []Entry{{Line: 1, Column: 5, Start: 4, End: 5, Next: 5, Old: "1", New: "1"}}},
		{Name: "n", Entries: []Entry{{Label: "name", Old: "n", New: "n"}}},
	}
	for list, want := range map[string]string{
		"b\n3 | x": "line 1: \"b\" is neither", "3 | x": "line 1: a line comes before", "a\n4 | x": "line 2: line 4 of a is not in this list",
		"a\n3 | x\n3 | y": "line 3: line 3 of a is here twice", "a\nthree | y": "line 2: \"three\" is no number", "a\n-3 | x": "line 2: a line to be deleted has no text",
		"v\n-1:5 |": "line 2: a value is changed here", "v\n1:5 | 2\n| x": "line 3: values are changed here", "v\n| x": "line 2: values are changed here",
		"n\n-name |": "line 2: a name is changed here", "n\nname | m\nname | k": "line 3: name of n is here twice", "a\nname | m": "line 2: \"name\" is no number",
		"\"zz\"": "line 1: there is no file", "a\n\xff": "line 2: this is not UTF-8",
	} {
		_, _, err := Read(list, files)
		require.ErrorContains(t, err, want)
	}
}

func FuzzRead(f *testing.F) {
	f.Add("a\n3 | y\n| z\n\nv\n1:5 | 7")
	f.Fuzz(func(t *testing.T, list string) {
		files := []File{
			{Name: "a", Ending: "\n", Size: 8, Entries: []Entry{{Line: 3, Start: 4, End: 5, Next: 6, Old: "x", New: "x"}, {Line: 4, Start: 6, End: 8, Next: 8, Old: "yy", New: "yy"}}},
			{Name: "v", Ending: "\n", Size: 5, Entries: []Entry{{Line: 1, Column: 5, Start: 4, End: 5, Next: 5, Old: "1", New: "1"}}},
		}
		edits, _, err := Read(list, files)
		for i := range edits {
			if err == nil {
				require.True(t, edits[i].Fits(files[i].Size))
			}
		}
	})
}
