package textfile

import (
	"bytes"
	"cmp"
	"path"
	"regexp"
	"strings"
	"sync"
	"unicode/utf8"

	"frizzel/core/syntax"
)

// Said is what is known of a file's encoding besides its bytes: what a person or a script says, and its name, by which it
// is known how a file of its kind declares one.
type Said struct {
	Encoding string // "" for nothing
	Name     string
}

// declaration is how an encoding is declared at the beginning of a file.
type declaration struct {
	within int    // bytes
	lines  int    // 0 for any number
	needs  string // what each match holds, so that most files cost no expression; "" for nothing
	expr   *regexp.Regexp
	names  map[string]string // of encodings that are called otherwise there
}

var (
	xmlDeclaration   = once(200, "encoding", `^(?:\xef\xbb\xbf)?<\?xml\s[^>]*?encoding\s*=\s*["']([A-Za-z][\w.:-]*)["']`)
	htmlDeclaration  = once(1024, "", `(?i)<meta\s[^>]*?charset\s*=\s*["']?\s*([a-z][\w.:-]*)`)
	cssDeclaration   = once(200, "@charset", `^@charset "([A-Za-z][\w.:-]*)";`)
	poDeclaration    = once(4096, "charset=", `(?m)^"Content-Type: text/plain; charset=([A-Za-z][\w.:-]*)`)
	latexDeclaration = sync.OnceValue(func() declaration {
		return declaration{within: 4096, needs: "inputenc", expr: regexp.MustCompile(`(?m)^[^%\n]*\\usepackage\[(\w+)\]\{inputenc\}`), names: latexNames}
	})
	// modeLine is a line for editors, or the coding line of a script.
	modeLine = sync.OnceValue(func() declaration {
		d := once(400, "coding", `^(?:[^\n]*\n)?(?:[ \t\f]*#[^\n]*?coding[:=][ \t]*|[^\n]*-\*-[^\n]*?coding:[ \t]*)([A-Za-z][\w.-]*)`)()
		d.lines = 2
		return d
	})
	editLine = once(800, "enc=", `(?m)^[^\n]*\b(?:vim?|ex):[^\n]*?\b(?:fileencoding|fenc)=([A-Za-z][\w-]*)`)
)

func once(within int, needs, expr string) func() declaration {
	return sync.OnceValue(func() declaration { return declaration{within: within, needs: needs, expr: regexp.MustCompile(expr)} })
}

// latexNames are encodings as LaTeX calls them, where others have another name.
var latexNames = map[string]string{
	"ansinew": "windows-1252", "latin1": "iso-8859-1", "latin2": "iso-8859-2", "latin3": "iso-8859-3", "latin4": "iso-8859-4", "latin5": "iso-8859-9",
	"latin9": "iso-8859-15", "latin10": "iso-8859-16", "applemac": "macintosh", "utf8": "utf-8", "utf8x": "utf-8", "cp437": "ibm437", "cp850": "ibm850",
	"cp852": "ibm852", "cp865": "ibm865",
}

// declared returns the encoding that a file declares in its first bytes, and its name there; nil for none, or one that is not
// known.
func declared(head []byte, name string) (*Encoding, string) {
	all := []func() declaration{modeLine, editLine}
	switch kind := syntax.Of(name); strings.ToLower(path.Ext(name)) {
	case ".po", ".pot":
		all = append(all, poDeclaration)
	case ".tex", ".sty", ".cls", ".ltx":
		all = append(all, latexDeclaration)
	case ".css":
		all = append(all, cssDeclaration)
	default:
		switch kind {
		case syntax.XML:
			all = []func() declaration{xmlDeclaration}
		case syntax.HTML:
			all = []func() declaration{htmlDeclaration, xmlDeclaration}
		}
	}
	return declaredBy(head, all...)
}

// declaredBy is declared for some ways of declaring.
func declaredBy(head []byte, all ...func() declaration) (*Encoding, string) {
	for _, of := range all {
		d := of()
		first := head[:min(len(head), d.within)]
		if d.lines > 0 {
			first = firstLines(first, d.lines)
		}
		if !holds(first, d.needs) {
			continue
		}
		m := d.expr.FindSubmatch(first)
		if m == nil {
			continue
		}
		called := string(m[1])
		standard := strings.ToLower(called)
		for _, suffix := range []string{"-unix", "-dos", "-mac"} {
			standard = strings.TrimSuffix(standard, suffix)
		}
		if e, err := EncodingNamed(cmp.Or(d.names[standard], standard)); err == nil {
			return e, called
		}
	}
	return nil, ""
}

// firstLines returns the first n lines of a text.
func firstLines(text []byte, n int) []byte {
	end := 0
	for ; n > 0; n-- {
		i := bytes.IndexByte(text[end:], '\n')
		if i < 0 {
			return text
		}
		end += i + 1
	}
	return text[:end]
}

// holds is bytes.Contains for a text whose last byte is rare in the first lines of most files.
func holds(head []byte, text string) bool {
	if text == "" {
		return true
	}
	for last, at := len(text)-1, 0; ; at++ {
		i := bytes.IndexByte(head[at:], text[last])
		if i < 0 {
			return false
		}
		if at += i; at >= last && string(head[at-last:at]) == text[:last] {
			return true
		}
	}
}

// contradicted returns what the bytes of a file say that declares an encoding: the name of another one, or that they are not
// of the one that is declared; "" if nothing contradicts it.
func contradicted(e *Encoding, raw []byte) string {
	switch {
	case e.step == nil: // stray bytes in UTF-8 are its own matter
		return ""
	case e.wide:
		return "its bytes are not of that encoding"
	case utf8.Valid(raw) && nextHigh(raw, 0) < len(raw):
		return "its bytes are utf-8"
	case e.one:
		return ""
	}
	for at := 0; at < len(raw); {
		if raw[at] < 0x80 {
			at++
			continue
		}
		r, size := e.step(raw[at:])
		if r == 0xfffd {
			return "its bytes are not of that encoding"
		}
		at += size
	}
	return ""
}

// DeclaredByXML returns the encoding that a text of XML declares, as it calls it; "" for none, or one that is not known.
func DeclaredByXML(text []byte) string {
	_, called := declaredBy(text, xmlDeclaration)
	return called
}

// Name returns the encoding's name.
func (e *Encoding) Name() string { return e.name }

// Holds reports whether the file's encoding has a character.
func (f *File) Holds(r rune) bool {
	if f.encoding.step == nil {
		return true
	}
	_, ok := f.encoding.put(nil, r)
	return ok
}
