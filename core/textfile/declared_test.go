package textfile

import (
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/require"
	"golang.org/x/text/encoding/htmlindex"
	"golang.org/x/text/encoding/ianaindex"

	"frizzel/core/edit"
)

// spoken is a line about the railway in languages with the encodings that were used for them.
var spoken = []struct{ text, encodings string }{
	{"Größe der Tafel: „MENÜ“ – für Gäste, straße", "windows-1252 iso-8859-1 iso-8859-15 macintosh"},
	{"Horaire d'été du dépôt, à l'œil nu", "windows-1252 iso-8859-15 macintosh"},
	{"El tren llegó al andén: ¿señal en rojo?", "windows-1252 iso-8859-1 macintosh"},
	{"O comboio não pára na estação", "windows-1252 iso-8859-1"},
	{"Tåget går från spår två, ärende öppet", "windows-1252 iso-8859-1"},
	{"Lestin er á leiðinni, þú mátt bíða", "windows-1252 iso-8859-1"},
	{"Pociąg stoi w zajezdni, żółty sygnał, łódź", "iso-8859-2 windows-1250"},
	{"Vlak stojí v depu, žlutý signál, příští stanice", "iso-8859-2 windows-1250"},
	{"A vonat késik, tűz és víz, őrház", "iso-8859-2 windows-1250"},
	{"Vilciens stāv depo, ķīla un šņore", "windows-1257 iso-8859-13"},
	{"Tren istasyonda, ışık yeşil, güneş", "windows-1254"},
	{"Поезд стоит в депо, Лёгкий вагон, жёлтый", "windows-1251 koi8-r iso-8859-5 ibm866"},
	{"Потяг стоїть у депо, ґанок і їжак", "windows-1251 koi8-u"},
	{"Το τρένο στέκεται στο αμαξοστάσιο", "windows-1253 iso-8859-7"},
	{"הרכבת עומדת בתחנה", "windows-1255 iso-8859-8"},
	{"القطار يقف في المحطة", "windows-1256"},
	{"รถไฟจอดอยู่ที่สถานี", "windows-874"},
	{"Tàu hỏa dừng ở ga", "windows-1258"},
	{"列車は車庫にいます。信号は赤", "shift_jis euc-jp"},
	{"火车停在车库里，信号是红色", "gb18030 gbk"},
	{"火車停在車庫裡，信號是紅色", "big5"},
	{"열차가 차고에 있다", "euc-kr"},
}

// A text in an older encoding never gets characters of another one: what is written is refused, unless the file says its
// encoding, and then it is in that.
func TestNoFileHoldsTwoEncodings(t *testing.T) {
	tried, refused := 0, 0
	for _, s := range spoken {
		for _, name := range strings.Fields(s.encodings) {
			e, err := ianaindex.IANA.Encoding(name)
			if err != nil || e == nil {
				e, err = htmlindex.Get(name)
			}
			require.NoError(t, err)
			for _, word := range append(strings.Fields(s.text), s.text) {
				raw, err := e.NewEncoder().String(word)
				if err != nil { // of a word in combining letters
					continue
				}
				fresh := []rune(word)
				text := raw + " depot-3\n" + raw + "\n"
				put := func(head string, file string) (string, error) {
					f, err := Decode([]byte(head+text), Said{Name: file})
					require.NoError(t, err)
					at := strings.Index(string(f.Text), "depot-3")
					edits, err := f.Encode(edit.List{{Start: at, End: at + len("depot-3"), New: []byte(string(fresh))}}, "")
					return string(edits.Apply(f.Raw)), err
				}
				tried++
				got, err := put("", "notice.txt")
				if err != nil {
					refused++
				} else {
					require.True(t, utf8.ValidString(got), "%s in %s: %q", word, name, got)
				}
				head := "# -*- coding: " + name + " -*-\n"
				got, err = put(head, "notice.py")
				var against *ContradictionError
				if err == nil {
					want, err := e.NewEncoder().String(head + word + " " + word + "\n" + word + "\n")
					require.NoError(t, err)
					require.Equal(t, want, got, "%s in %s", word, name)
				} else {
					require.ErrorAs(t, err, &against, "%s in %s", word, name)
					require.True(t, utf8.ValidString(text), "%s in %s", word, name)
				}
			}
		}
	}
	t.Logf("%d words of older encodings without a declaration: %d refused, the others are UTF-8 or ASCII", tried, refused)
}

// How files declare their encoding, each as its kind does.
func TestDeclarations(t *testing.T) {
	for _, c := range [][3]string{
		{"a.xml", `<?xml version="1.0" encoding='ISO-8859-2' standalone="yes"?><a/>`, "iso-8859-2"},
		{"a.svg", "\ufeff<?xml version=\"1.0\" encoding=\"windows-1252\"?><a/>", "utf-8-bom"},
		{"a.html", `<!doctype html><HTML><head><META http-equiv="Content-Type" content="text/html; charset=windows-1251">`, "windows-1251"},
		{"a.htm", `<meta charset=koi8-r>`, "koi8-r"},
		{"a.txt", `<meta charset=koi8-r>`, "utf-8"},
		{"a.po", "msgid \"\"\nmsgstr \"\"\n\"Content-Type: text/plain; charset=EUC-JP\\n\"\n", "euc-jp"},
		{"a.tex", "\\documentclass{a}\n\\usepackage[latin9]{inputenc}\n", "iso-8859-15"},
		{"a.tex", "% \\usepackage[latin9]{inputenc}\n", "utf-8"},
		{"a.py", "#!/usr/bin/python\n# coding: cp1252\n", "windows-1252"},
		{"a.py", "\n\n# coding: cp1252\n", "utf-8"},
		{"a.conf", "; -*- mode: conf; coding: iso-8859-1-unix -*-\n", "iso-8859-1"},
		{"a.conf", "# vim: set ft=conf fileencoding=shift_jis :\n", "shift_jis"},
		{"a.css", "@charset \"iso-8859-1\";\na{}", "iso-8859-1"},
		{"a.xml", `<?xml version="1.0" encoding="klingon"?><a/>`, "utf-8"},
		{"a.conf", "the coding: latin-1 is ours\n", "utf-8"},
	} {
		f, err := Decode([]byte(c[1]), Said{Name: c[0]})
		require.NoError(t, err)
		want, err := EncodingNamed(c[2])
		require.NoError(t, err)
		require.Equal(t, want.name, f.Encoding(), "%s: %s", c[0], c[1])
	}
}
