package document

import (
	"archive/zip"
	"bytes"
	"compress/flate"
	"fmt"
	"hash/crc32"
	"io"
	"math/rand/v2"
	"runtime"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/rogpeppe/go-internal/txtar"
	"github.com/stretchr/testify/require"

	"frizzel/core/edit"
)

// odt packs members as a text document; those whose content is nil are left as they were packed.
func odt(t testing.TB, members ...[2]string) []byte {
	var out bytes.Buffer
	w := zip.NewWriter(&out)
	for _, m := range append([][2]string{{"mimetype", "application/vnd.oasis.opendocument.text"}}, members...) {
		part, err := w.Create(m[0])
		require.NoError(t, err)
		_, err = io.WriteString(part, m[1])
		require.NoError(t, err)
	}
	require.NoError(t, w.Close())
	return out.Bytes()
}

const root = `<office:document-content xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0">`

// Packages that are meant to do harm, or came to harm: a reason, in little time and memory.
func TestHostile(t *testing.T) {
	whole := odt(t, [2]string{"content.xml", root + "<text:p>depot-3</text:p></office:document-content>"})
	content := func(xml string) []byte { return odt(t, [2]string{"content.xml", xml}) }
	patched := func(at int, with string) []byte {
		raw := bytes.Clone(whole)
		copy(raw[at:], with)
		return raw
	}
	central := bytes.Index(whole, []byte("PK\x01\x02"))
	second := central + bytes.Index(whole[central+4:], []byte("PK\x01\x02")) + 4
	data := bytes.Index(whole, []byte("content.xml")) + len("content.xml") + 4
	random := make([]byte, 100<<10)
	_, err := rand.NewChaCha8([32]byte{}).Read(random)
	require.NoError(t, err)
	noise := fmt.Sprintf("<!-- %x -->", random) // so that the rest is not compressed too well
	for _, c := range []struct {
		name, reason string
		raw          []byte
	}{
		{"cut", "cut off", whole[:len(whole)-7]},
		{"a byte before", "before or behind", append([]byte{0}, whole...)},
		{"bomb", "times as long", bomb(t, 40<<20, 40<<20)},
		{"larger bomb", "up to 256 MiB", bomb(t, 1<<20, 300<<20)},
		{"longer than it says", "not what its directory says", patched(second+24, "\x01\x00\x00\x00")},
		{"wrong sum", "not what its directory says", patched(second+16, "\x01\x02\x03\x04")},
		{"damaged data", "damaged", patched(data, "\xff\xff\xff")},
		{"overlapping", "not where its directory says", patched(second+42, "\x01\x00\x00\x00")},
		{"same place", "told otherwise", patched(second+42, "\x00\x00\x00\x00")},
		{"doubled", "two members", odt(t, [2]string{"content.xml", root + "</office:document-content>"}, [2]string{"Content.xml", ""})},
		{"beyond", "named beyond", odt(t, [2]string{"content.xml", ""}, [2]string{"a/../../etc/passwd", ""})},
		{"absolute", "not a path in it", odt(t, [2]string{"/etc/passwd", ""})},
		{"encrypted", "encrypted", patched(second+8, "\x01\x00")},
		{"encrypted content", "encrypted", odt(t, [2]string{"content.xml", "x"}, [2]string{"META-INF/manifest.xml", `<manifest:manifest xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0"><manifest:encryption-data/></manifest:manifest>`})},
		{"compound", "encrypted", []byte(compound + "...")},
		{"other kind", "not of the kind", odt(t)},
		{"entities", "definitions", content(`<!DOCTYPE x [<!ENTITY a "aaaa">]>` + root + "<text:p>&a;</text:p></office:document-content>")},
		{"entity", "not known", content(root + "<text:p>&a;</text:p></office:document-content>")},
		{"deep", "deep", content(root + strings.Repeat("<text:section>", 1<<20))},
		{"cut XML", "within an element", content(root + "<text:p>")},
		{"crossed", "closed where", content(root + "<text:p><text:span></text:p></text:span></office:document-content>")},
		{"other encoding", "only UTF-8", content(`<?xml version="1.0" encoding="UTF-16"?>` + root + "</office:document-content>")},
		{"not UTF-8", "not UTF-8", content(root + "<text:p>\xff</text:p></office:document-content>")},
		{"many lines", "more than 4", content(root + noise + strings.Repeat("<text:p/>", maxLines+1<<18) + "</office:document-content>")},
		{"many pieces", "more than 8", content(root + noise + "<text:p>" + strings.Repeat("&amp;", maxSegments+1<<18) + "</text:p></office:document-content>")},
		{"control character", "not known", content(root + "<text:p>&#1;</text:p></office:document-content>")},
	} {
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		begin := time.Now()
		_, err := Read("x.odt", c.raw)
		took := time.Since(begin)
		runtime.ReadMemStats(&after)
		require.ErrorContains(t, err, c.reason, c.name)
		require.Less(t, took, 5*time.Second, c.name)
		if !strings.HasPrefix(c.name, "many ") {
			require.Less(t, after.TotalAlloc-before.TotalAlloc, uint64(64<<20), c.name)
		}
	}
	_, err = Read("x.odt", whole)
	require.NoError(t, err)
}

// bomb returns a document whose content is size spaces, and whose directory says that it has said bytes.
func bomb(t *testing.T, size, said int) []byte {
	var packed bytes.Buffer
	w, err := flate.NewWriter(&packed, 9)
	require.NoError(t, err)
	sum := crc32.NewIEEE()
	block := bytes.Repeat([]byte(" "), 1<<20)
	for range size >> 20 {
		_, err = io.MultiWriter(w, sum).Write(block)
		require.NoError(t, err)
	}
	require.NoError(t, w.Close())
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	part, err := z.Create("mimetype")
	require.NoError(t, err)
	_, err = io.WriteString(part, "application/vnd.oasis.opendocument.text")
	require.NoError(t, err)
	raw, err := z.CreateRaw(&zip.FileHeader{Name: "content.xml", Method: zip.Deflate, CRC32: sum.Sum32(), CompressedSize64: uint64(packed.Len()), UncompressedSize64: uint64(said)})
	require.NoError(t, err)
	_, err = raw.Write(packed.Bytes())
	require.NoError(t, err)
	require.NoError(t, z.Close())
	return out.Bytes()
}

// Signed documents are read, and never changed.
func TestSigned(t *testing.T) {
	raw := odt(t, [2]string{"content.xml", root + "<text:p>depot-3</text:p></office:document-content>"}, [2]string{"META-INF/documentsignatures.xml", "<s/>"})
	d, err := Read("x.odt", raw)
	require.NoError(t, err)
	_, err = d.Encode(edit.List{{Start: 0, End: 5, New: []byte("yard")}})
	require.ErrorContains(t, err, "signed")
}

// White space at the ends of a text that is not shown there stays so, and does not stop a change between them.
func TestHiddenEdges(t *testing.T) {
	raw := zipped(t, []txtar.File{
		{Name: "_rels/.rels", Data: []byte(`<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument" Target="word/document.xml"/></Relationships>`)},
		{Name: "word/document.xml", Data: []byte(`<w:document xmlns:w="http://schemas.openxmlformats.org/wordprocessingml/2006/main"><w:body><w:p><w:r><w:t> depot-3 ins</w:t></w:r></w:p></w:body></w:document>`)},
	}, zip.Store)
	d, err := Read("x.docx", raw)
	require.NoError(t, err)
	require.Equal(t, "depot-3 ins\n", string(d.Text))
	edits, err := d.Encode(edit.List{{Start: 6, End: 7, New: []byte("4")}})
	require.NoError(t, err)
	require.Contains(t, string(edits.Apply(raw)), "<w:t> depot-4 ins</w:t>")
	_, err = d.Encode(edit.List{{Start: 0, End: 0, New: []byte(" ")}})
	require.ErrorContains(t, err, "would be seen")
}

// Local headers may differ from the directory in hints, and hold some of what a descriptor behind the data says.
func TestLocalHeaders(t *testing.T) {
	raw := odt(t, [2]string{"content.xml", root + "<text:p>depot-3</text:p></office:document-content>"})
	at := bytes.Index(raw, []byte("content.xml")) - 30
	raw[at+7] ^= 0x08                                     // that the name is UTF-8
	central := bytes.LastIndex(raw, []byte("PK\x01\x02")) // the entry of the same member
	copy(raw[at+22:], raw[central+24:central+28])         // its size
	d, err := Read("x.odt", raw)
	require.NoError(t, err)
	edits, err := d.Encode(edit.List{{Start: 0, End: 7, New: []byte("the yard behind depot-4")}})
	require.NoError(t, err)
	fresh := edits.Apply(raw)
	now, err := Read("x.odt", fresh)
	require.NoError(t, err)
	require.Equal(t, "the yard behind depot-4\n", string(now.Text))
	require.Equal(t, raw[:at+22], fresh[:at+22])
}

// Lines that come, go or move are refused for the file; so is what an XML file cannot hold.
func TestRefused(t *testing.T) {
	d, err := Read("x.odt", odt(t, [2]string{"content.xml", root + "<text:p>a</text:p><text:p/><text:p>b</text:p></office:document-content>"}))
	require.NoError(t, err)
	require.Equal(t, "a\n\nb\n", string(d.Text))
	for _, c := range []struct {
		reason string
		edits  edit.List
	}{
		{"line 1: it would add", edit.List{{Start: 1, End: 1, New: []byte("\nx")}}},
		{"line 1: it would add", edit.List{{Start: 0, End: 2}}},
		{"add, take away or move lines", edit.List{{Start: 5, End: 5, New: []byte("x\n")}}},
		{"line 2: there is no text", edit.List{{Start: 2, End: 2, New: []byte("x")}}},
		{"cannot hold", edit.List{{Start: 0, End: 1, New: []byte("\x01")}}},
		{"cannot hold", edit.List{{Start: 0, End: 1, New: []byte("\xff")}}},
	} {
		_, err := d.Encode(c.edits)
		require.ErrorContains(t, err, c.reason, fmt.Sprint(c.edits))
	}
	for _, f := range fixtures(t) {
		if f.name == "pages.epub" {
			page, err := Read(f.name, f.raw)
			require.NoError(t, err)
			at := bytes.Index(page.Text, []byte("depot-30"))
			_, err = page.Encode(edit.List{{Start: at, End: at + 5, New: []byte("the  yard")}})
			require.ErrorContains(t, err, "several spaces as one")
		}
	}
	raw, err := d.Encode(edit.List{{Start: 0, End: 4, New: []byte("x\n\ny")}}) // as many lines as before
	require.NoError(t, err)
	fresh, err := Read("x.odt", raw.Apply(d.raw))
	require.NoError(t, err)
	require.Equal(t, "x\n\ny\n", string(fresh.Text))
}

// Whatever a file holds, it is read or has a reason; and what is read can be changed, or refuses.
func FuzzRead(f *testing.F) {
	for _, x := range fixtures(f) {
		f.Add(x.name, x.raw)
	}
	for _, x := range fixtures(f) { // as flat ones, so that the parts themselves are fuzzed
		for _, part := range x.archive.Files {
			if part.Name == "content.xml" {
				f.Add("x.fodt", part.Data)
				f.Add("x.fods", part.Data)
			}
		}
	}
	f.Fuzz(func(t *testing.T, name string, raw []byte) { tried(t, name, raw) })
}

// The same of each part of a package, whatever stands in it.
func FuzzPart(f *testing.F) {
	all := fixtures(f)
	for i, x := range all {
		for j, part := range x.archive.Files[:len(x.archive.Files)-1] {
			f.Add(i, j, part.Data)
		}
	}
	f.Fuzz(func(t *testing.T, i, j int, data []byte) {
		if i < 0 || i >= len(all) || j < 0 || j >= len(all[i].archive.Files)-1 || len(data) > 1<<13 {
			return
		}
		files := slices.Clone(all[i].archive.Files)
		files[j].Data = data
		tried(t, all[i].name, zipped(t, files[:len(files)-1], zip.Store))
	})
}

// tried reads a document and changes what can be changed.
func tried(t *testing.T, name string, raw []byte) {
	d, err := Read(name, raw)
	if err != nil || len(d.lines) == 0 {
		return
	}
	for i, l := range d.lines {
		d.Place(i + 1)
		if at := d.starts[i]; len(l.text) > 0 && l.text[0] < 0x80 && d.Locked(at, at+1) == "" {
			if _, err := d.Encode(edit.List{{Start: at, End: at + 1, New: []byte("x")}}); err != nil {
				require.NotContains(t, err.Error(), "damaged")
			}
			return
		}
	}
}
