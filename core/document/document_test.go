package document

import (
	"archive/zip"
	"bytes"
	"encoding/xml"
	"errors"
	"io"
	"math/rand/v2"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"frizzel/core/edit"
)

// made are documents that an office suite wrote: those of the demo.
func made(t testing.TB) (all []fixture) {
	paths, err := filepath.Glob("../../demo/files/office/*")
	require.NoError(t, err)
	require.NotEmpty(t, paths)
	for _, path := range paths {
		raw, err := os.ReadFile(path)
		require.NoError(t, err)
		all = append(all, fixture{path: path, name: filepath.Base(path), raw: raw})
	}
	return all
}

// words are what is put into texts: what an XML file must escape, what its formats write as
// elements, and what is lost where white space is collapsed.
var words = []string{"", "depot-4", "a  b", " ", "  ", "\t", "x\u2028y", "<&>\"'", "_x0041_", "\u2011\u00ad", "駅", " end", "start ", "]]>", "\u00a0"}

// Random changes of every document: what comes of them is read by another reader and holds just
// the paragraphs that were asked for; all members that were not touched are the same bytes.
func TestChanges(t *testing.T) {
	changed, refused, judged := 0, 0, 0
	for _, f := range append(fixtures(t), made(t)...) {
		d, err := Read(f.name, f.raw)
		require.NoError(t, err, f.path)
		for seed := range uint64(150) {
			r := rand.New(rand.NewPCG(seed, 5))
			edits := randomEdits(r, d)
			raw, err := d.Encode(edits)
			var refusal *RefusedError
			if errors.As(err, &refusal) {
				require.NotContains(t, err.Error(), "damaged", "%s %d %v", f.path, seed, edits)
				refused++
				continue
			}
			require.NoError(t, err, "%s %d", f.path, seed)
			fresh := raw.Apply(f.raw)
			changed++
			if d.pack != nil {
				sameMembers(t, f, raw, fresh)
			}
			judged += judge(t, f, d, edits, fresh)
		}
	}
	t.Log(changed, "changed", refused, "refused", judged, "paragraphs judged")
	require.Greater(t, changed, 1000)
	require.Greater(t, judged, 700)
	require.Less(t, refused, changed/4)
}

// randomEdits are one or two changes that nothing forbids.
func randomEdits(r *rand.Rand, d *Document) (edits edit.List) {
	at := 0
	for range 1 + r.IntN(2) {
		for range 50 {
			l := r.IntN(len(d.lines))
			text := []rune(string(d.lines[l].text))
			from := r.IntN(len(text) + 1)
			to := from + r.IntN(len(text)-from+1)
			start := d.starts[l] + len(string(text[:from]))
			end := d.starts[l] + len(string(text[:to]))
			if start < at || d.Locked(start, end) != "" {
				continue
			}
			edits = append(edits, edit.Edit{Start: start, End: end, New: []byte(words[r.IntN(len(words))])})
			at = end + 1
			break
		}
	}
	return edits.Changing(d.Text)
}

// sameMembers checks that a package is as it was but for members that the edits are in.
func sameMembers(t *testing.T, f fixture, raw edit.List, fresh []byte) {
	old, err := zip.NewReader(bytes.NewReader(f.raw), int64(len(f.raw)))
	require.NoError(t, err)
	now, err := zip.NewReader(bytes.NewReader(fresh), int64(len(fresh)))
	require.NoError(t, err, f.path)
	require.Len(t, now.File, len(old.File))
	require.Equal(t, old.Comment, now.Comment)
	for i, was := range old.File {
		is := now.File[i]
		require.Equal(t, was.Name, is.Name)
		require.Equal(t, []any{was.Method, was.Flags, was.Modified, was.ExternalAttrs, was.Extra, was.Comment}, []any{is.Method, is.Flags, is.Modified, is.ExternalAttrs, is.Extra, is.Comment})
		_, err := io.ReadAll(open(t, is)) // which holds it against its sum
		require.NoError(t, err, was.Name)
		at, err := was.DataOffset()
		require.NoError(t, err)
		touched := slices.ContainsFunc(raw, func(e edit.Edit) bool {
			return int64(e.Start) >= at && int64(e.End) <= at+int64(was.CompressedSize64) && e.End > e.Start
		})
		if !touched {
			require.Equal(t, packed(t, was), packed(t, is), was.Name)
		}
	}
}

func open(t *testing.T, f *zip.File) io.Reader {
	in, err := f.Open()
	require.NoError(t, err)
	return in
}

func packed(t *testing.T, f *zip.File) string {
	in, err := f.OpenRaw()
	require.NoError(t, err)
	text, err := io.ReadAll(in)
	require.NoError(t, err)
	return string(text)
}

// judge lets another reader read the document before and after, and returns how many paragraphs it
// could judge: those that it reads as the line is shown.
func judge(t *testing.T, f fixture, d *Document, edits edit.List, fresh []byte) (judged int) {
	before, after := paragraphs(t, d, f.raw), paragraphs(t, d, fresh)
	require.Len(t, after, len(before), f.path)
	wanted := map[string][]string{} // by the text as it was, which several lines may have
	for i, l := range d.lines {
		var own edit.List
		for _, e := range edits {
			if e.Start >= d.starts[i] && e.End <= d.starts[i]+len(l.text) {
				own = append(own, edit.Edit{Start: e.Start - d.starts[i], End: e.End - d.starts[i], New: e.New})
			}
		}
		if len(own) > 0 {
			wanted[string(l.text)] = append(wanted[string(l.text)], string(own.Apply(l.text)))
		}
	}
	for k, was := range before {
		if after[k] == was {
			continue
		}
		if wants := wanted[was]; wants != nil { // else another reading of the same paragraph
			require.Contains(t, wants, after[k], "%s: %v", f.path, edits)
			judged++
		}
	}
	return judged
}

// paragraphs reads the texts of all XML parts, in their order, as plainly as can be.
func paragraphs(t *testing.T, d *Document, raw []byte) (all []string) {
	if d.pack == nil {
		return parse(t, raw)
	}
	z, err := zip.NewReader(bytes.NewReader(raw), int64(len(raw)))
	require.NoError(t, err)
	for _, f := range z.File {
		if (strings.HasSuffix(f.Name, ".xml") || strings.HasSuffix(f.Name, ".xhtml")) && !strings.Contains(f.Name, "META-INF") {
			text, err := io.ReadAll(open(t, f))
			require.NoError(t, err)
			all = append(all, parse(t, text)...)
		}
	}
	return all
}

var collapse = regexp.MustCompile(`[ \t\r\n]+`)

// parse returns the paragraphs of a part in the order of their ends.
func parse(t *testing.T, part []byte) (all []string) {
	type paragraph struct {
		text string
		open bool
	}
	var stack []*paragraph
	var path []xml.Name
	dec := xml.NewDecoder(bytes.NewReader(part))
	dec.Entity = xml.HTMLEntity
	opened := false
	for {
		token, err := dec.Token()
		if errors.Is(err, io.EOF) {
			return all
		}
		require.NoError(t, err)
		switch x := token.(type) {
		case xml.StartElement:
			path = append(path, x.Name)
			opened = opened || strings.Contains(x.Name.Space, "opendocument") || strings.Contains(x.Name.Space, "xhtml")
			switch x.Name.Local {
			case "p", "h", "si", "is":
				stack = append(stack, &paragraph{open: opened})
				continue
			}
			if len(stack) == 0 {
				continue
			}
			p := stack[len(stack)-1]
			switch x.Name.Local {
			case "tab":
				if p.open || len(path) > 1 && path[len(path)-2].Local == "r" {
					p.text += "\t"
				}
			case "br", "line-break":
				p.text += "\u2028"
			case "noBreakHyphen":
				p.text += "\u2011"
			case "softHyphen":
				p.text += "\u00ad"
			case "s":
				n := 1
				for _, a := range x.Attr {
					if a.Name.Local == "c" {
						n, err = strconv.Atoi(a.Value)
						require.NoError(t, err)
					}
				}
				p.text += strings.Repeat("\ue000", n)
			}
		case xml.EndElement:
			switch x.Name.Local {
			case "p", "h", "si", "is":
				p := stack[len(stack)-1]
				stack = stack[:len(stack)-1]
				if p.open {
					p.text = strings.TrimLeft(collapse.ReplaceAllString(strings.ReplaceAll(p.text, "\t", "\ue001"), " "), " ")
				}
				p.text = strings.NewReplacer("\ue000", " ", "\ue001", "\t").Replace(p.text)
				all = append(all, p.text)
			}
			path = path[:len(path)-1]
		case xml.CharData:
			if len(stack) == 0 {
				continue
			}
			p, in := stack[len(stack)-1], path[len(path)-1].Local
			switch {
			case p.open:
				p.text += strings.ReplaceAll(string(x), "\t", " ")
			case in == "t" && len(path) > 1 && path[len(path)-2].Local != "rPh":
				text := string(x)
				if path[len(path)-1].Space == path[0].Space && strings.Contains(path[0].Space, "spreadsheet") {
					text = strings.NewReplacer("_x0041_", "A", "_x005F_", "_", "\n", "\u2028").Replace(text)
				}
				p.text += text
			}
		}
	}
}
