package document

import (
	"archive/zip"
	"bytes"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// long returns a document like one that an office suite wrote, with what stands between from and
// to in a part many times.
func long(b *testing.B, f fixture, part, from, to string, times int) []byte {
	in, err := zip.NewReader(bytes.NewReader(f.raw), int64(len(f.raw)))
	require.NoError(b, err)
	var out bytes.Buffer
	w := zip.NewWriter(&out)
	for _, m := range in.File {
		d, err := unpack(f.raw)
		require.NoError(b, err)
		text, err := d.content(d.find(m.Name))
		require.NoError(b, err)
		if m.Name == part {
			before, rest, _ := strings.Cut(string(text), from)
			inner, after, _ := strings.Cut(rest, to)
			var many strings.Builder
			for i := range times { // not so alike that they are packed away
				many.WriteString(strings.ReplaceAll(from+inner+to, "depot", fmt.Sprintf("d%x", i*2654435761)))
			}
			text = []byte(before + many.String() + after)
		}
		part, err := w.Create(m.Name)
		require.NoError(b, err)
		_, err = part.Write(text)
		require.NoError(b, err)
	}
	require.NoError(b, w.Close())
	return out.Bytes()
}

// Reading a document, against inflating what it reads.
func BenchmarkRead(b *testing.B) {
	from := map[string][3]string{
		"handover-note.odt": {"content.xml", "<text:p ", "</text:p>"},
		"inventory.xlsx":    {"xl/worksheets/sheet1.xml", "<row ", "</row>"},
		"briefing.pptx":     {"ppt/slides/slide1.xml", "<a:p>", "</a:p>"},
		"word.docx":         {"word/document.xml", "<w:p w:rsidR", "</w:p>"},
	}
	for _, f := range append(made(b), fixtures(b)...) {
		how, ok := from[f.name]
		if !ok {
			continue
		}
		raw := long(b, f, how[0], how[1], how[2], 20000)
		size := 0
		a, err := unpack(raw)
		require.NoError(b, err)
		for _, m := range a.members {
			size += m.plain
		}
		b.Run(f.name+"/inflate", func(b *testing.B) {
			b.SetBytes(int64(size))
			for b.Loop() {
				a, _ := unpack(raw)
				for _, m := range a.members {
					_, err := a.content(m)
					require.NoError(b, err)
				}
			}
		})
		b.Run(f.name+"/read", func(b *testing.B) {
			b.SetBytes(int64(size))
			b.ReportAllocs()
			for b.Loop() {
				_, err := Read(f.name, raw)
				require.NoError(b, err)
			}
		})
	}
}
