package document

import (
	"archive/zip"
	"bytes"
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/rogpeppe/go-internal/txtar"
	"github.com/stretchr/testify/require"
)

var update = flag.Bool("update", false, "write what the odd documents are read as into testdata")

// fixture is a document whose parts stand in a text file, the last of which is what it reads as.
type fixture struct {
	path, name string
	archive    *txtar.Archive
	raw        []byte
}

// suffixes are those of the documents by the names of the fixtures.
var suffixes = map[string]string{"word": ".docx", "strict": ".docx", "sheet": ".xlsx", "slides": ".pptx", "text": ".odt", "table": ".ods", "pages": ".epub", "drawing": ".odg"}

// fixtures reads the documents in testdata; see reads.
func fixtures(t testing.TB) (all []fixture) {
	paths, err := filepath.Glob("testdata/*.txtar")
	require.NoError(t, err)
	for _, path := range paths {
		a, err := txtar.ParseFile(path)
		require.NoError(t, err)
		f := fixture{path: path, archive: a}
		stem := strings.TrimSuffix(filepath.Base(path), ".txtar")
		f.name = stem + suffixes[stem]
		f.raw = zipped(t, a.Files[:len(a.Files)-1], zip.Deflate)
		all = append(all, f)
	}
	return all
}

// zipped packs parts.
func zipped(t testing.TB, parts []txtar.File, method uint16) []byte {
	var out bytes.Buffer
	w := zip.NewWriter(&out)
	for _, file := range parts {
		h := &zip.FileHeader{Name: file.Name, Method: method}
		if file.Name == "mimetype" {
			h.Method = zip.Store
		}
		part, err := w.CreateHeader(h)
		require.NoError(t, err)
		_, err = part.Write(bytes.TrimSuffix(file.Data, []byte("\n")))
		require.NoError(t, err)
	}
	require.NoError(t, w.Close())
	return out.Bytes()
}

// reads writes what is read of a document: each line with its place and, in brackets, if it is
// locked; then what is hidden.
func reads(d *Document) string {
	var b strings.Builder
	for i, l := range d.lines {
		b.WriteString(shownLine(d, l))
		if l.level > 0 {
			fmt.Fprintf(&b, " #%d", l.level)
		}
		fmt.Fprintf(&b, " | %s", d.Place(i+1))
		if l.lock != 0 {
			fmt.Fprintf(&b, " | %s", d.locks[l.lock])
		}
		if len(l.copies) > 0 {
			fmt.Fprintf(&b, " | with %d more", len(l.copies))
		}
		b.WriteByte('\n')
	}
	for _, h := range d.Hidden {
		fmt.Fprintf(&b, "hidden %q | %s\n", h.Text, h.Place)
	}
	if len(d.Embedded) > 0 {
		fmt.Fprintf(&b, "not looked into: %s\n", d.Embedded)
	}
	return b.String()
}

// shownLine writes a line's segments, those that are locked in brackets.
func shownLine(d *Document, l *line) string {
	var b strings.Builder
	for i, g := range l.segments {
		from, to := l.bounds(i)
		text := fmt.Sprintf("%q", l.text[from:to])
		text = text[1 : len(text)-1]
		if g.lock != 0 {
			text = "[" + text + "]"
		}
		b.WriteString(text)
	}
	if len(l.segments) == 0 {
		b.Write(l.text)
	}
	return b.String()
}

// Documents as other programs write them, and what they read as.
func TestReads(t *testing.T) {
	for _, f := range fixtures(t) {
		d, err := Read(f.name, f.raw)
		require.NoError(t, err, f.path)
		last := &f.archive.Files[len(f.archive.Files)-1]
		require.Equal(t, "reads", last.Name, f.path)
		if *update {
			last.Data = []byte(reads(d))
			require.NoError(t, os.WriteFile(f.path, txtar.Format(f.archive), 0o644))
		}
		require.Equal(t, string(last.Data), reads(d), f.path)
	}
}
