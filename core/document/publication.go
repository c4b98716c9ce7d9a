package document

import (
	"bytes"
	"fmt"
	"net/url"
	"path"
	"strings"
)

// A publication is an EPUB (ISO/IEC 23736): pages of XHTML in the order that its package document says, a table of
// contents, and properties.
type publication struct {
	*builder
	dir     string              // of the package document, with a slash
	items   map[string]pageItem // by id
	listed  []string            // their ids
	order   []string            // those in reading order
	props   *propertyReader
	depth   int // of open blocks, whose text is a line each
	heading string
}

// A pageItem is a member that a package document names.
type pageItem struct{ path, media string }

const (
	_ action = iota
	pageBlock
	pageHidden
	pageBreak
	pageProperty
)

// publication reads an EPUB.
func (b *builder) publication() error {
	kind, container := b.doc.pack.find("mimetype"), b.doc.pack.find("META-INF/container.xml")
	if kind == nil || container == nil {
		return errForeign
	}
	if media, err := b.doc.pack.content(kind); err != nil || !bytes.HasPrefix(media, []byte("application/epub+zip")) {
		return errForeign
	}
	b.doc.signed = b.doc.pack.find("META-INF/signatures.xml") != nil
	p, err := b.load(container)
	if err != nil {
		return err
	}
	named := &containerReader{builder: b}
	if err := b.quietly(p, named); err != nil {
		return err
	}
	r := &publication{builder: b, props: &propertyReader{builder: b}}
	for _, root := range named.roots {
		if err := r.read(root); err != nil {
			return err
		}
	}
	return b.rest()
}

// A containerReader reads which package documents there are.
type containerReader struct {
	*builder
	roots []string
}

func (r *containerReader) opens(name string) error {
	if name == "oc:rootfile" {
		r.roots = append(r.roots, r.s.value("full-path"))
	}
	return nil
}

func (r *containerReader) closes(action) error { return nil }

// read reads the pages of a package document.
func (r *publication) read(root string) error {
	m := r.doc.pack.find(root)
	if m == nil || r.seen[m] {
		return nil
	}
	r.dir, _ = path.Split(m.name)
	r.items, r.listed, r.order = map[string]pageItem{}, nil, nil
	if err := r.page(m, bare); err != nil {
		return err
	}
	for _, id := range append(r.order, r.listed...) { // the others at the end
		item := r.items[id]
		m := r.doc.pack.find(item.path)
		if m == nil || r.seen[m] || item.media != "application/xhtml+xml" && item.media != "application/x-dtbncx+xml" {
			continue
		}
		if err := r.page(m, inPage); err != nil {
			return err
		}
	}
	return nil
}

func (r *publication) page(m *member, f flavor) error {
	p, err := r.load(m)
	if err != nil {
		return err
	}
	r.depth, r.heading = 0, ""
	r.where = location{in: path.Base(m.name)}
	return r.walk(p, f, r)
}

// blocks are the elements of a page whose text is a line of its own.
var blocks = map[string]bool{
	"address": true, "article": true, "aside": true, "blockquote": true, "body": true, "caption": true, "dd": true, "details": true,
	"div": true, "dl": true, "dt": true, "figcaption": true, "figure": true, "footer": true, "form": true, "h1": true, "h2": true,
	"h3": true, "h4": true, "h5": true, "h6": true, "header": true, "hr": true, "li": true, "main": true, "nav": true, "ol": true,
	"p": true, "pre": true, "section": true, "summary": true, "table": true, "tbody": true, "td": true, "tfoot": true, "th": true,
	"thead": true, "title": true, "tr": true, "ul": true,
}

func (r *publication) opens(name string) error {
	space, local, _ := strings.Cut(name, ":")
	switch space {
	case "h":
		return r.element(local)
	case "opf":
		r.item(local)
	case "ncx":
		if local == "text" {
			r.where = location{in: "table of contents"}
			r.block(inPage)
		}
	case "dc":
		err := r.props.opens(name)
		if r.act == property {
			r.act = pageProperty
		}
		return err
	}
	return nil
}

// item reads an element of a package document.
func (r *publication) item(name string) {
	switch name {
	case "item":
		target, err := url.PathUnescape(r.s.value("href"))
		if err != nil {
			target = r.s.value("href")
		}
		id := r.s.value("id")
		r.items[id] = pageItem{path.Join(r.dir, target), r.s.value("media-type")}
		r.listed = append(r.listed, id)
	case "itemref":
		r.order = append(r.order, r.s.value("idref"))
	}
}

// element reads an element of a page.
func (r *publication) element(name string) error {
	switch {
	case name == "script" || name == "style" || name == "template":
		r.skip = true
	case name == "br":
		r.put("\u2028", element, r.s.start, r.s.end)
		r.act = pageBreak
	case name == "rt":
		r.hides(pageHidden)
	case blocks[name]:
		f := r.flavor
		if name == "pre" {
			f = inListing
		}
		r.where = location{in: r.where.in}
		r.block(f)
		if l := r.current(); len(name) == 2 && name[0] == 'h' && name[1] >= '1' && name[1] <= '6' {
			l.level = int(name[1] - '0')
		}
	}
	for _, attribute := range []string{"alt", "title", "aria-label"} {
		r.hide("alternative text", r.s.value(attribute))
	}
	if name == "input" || name == "option" {
		r.hide("value of a control", r.s.value("value"))
	}
	if target := r.s.value("href"); name == "a" && strings.Contains(target, ":") && r.current() != nil {
		from, to := r.s.attributeAt("href")
		r.current().links = append(r.current().links, link{target, r.part, from, to})
	}
	return nil
}

// block begins a line for an element's text. That of the element around goes on behind it, in another one.
func (r *publication) block(f flavor) {
	r.cut()
	r.depth++
	r.act, r.mode, r.flavor = pageBlock, shown, f
	r.begin()
}

// cut ends the line that is being read. White space at its end is not seen, and a line without text is none.
func (r *publication) cut() {
	l := r.current()
	if l == nil {
		return
	}
	if n := len(l.segments) - 1; n >= 0 && r.flavor == inPage && l.segments[n].kind != element && bytes.HasSuffix(l.text, []byte(" ")) {
		l.text = l.text[:len(l.text)-1]
		if l.segments[n].to--; int(l.segments[n].at) == len(l.text) {
			l.segments = l.segments[:n]
		}
	}
	if l.level > 0 {
		r.heading = fmt.Sprintf("heading %q", l.text)
		r.where.in, l.location.in = r.heading, r.heading
	}
	at := len(r.lines) - 1 // no line is begun within another
	if len(bytes.TrimSpace(l.text)) == 0 {
		r.lines, l.level = append(r.lines[:at], r.lines[at+1:]...), 0
	}
	r.end()
}

func (r *publication) closes(act action) error {
	switch act {
	case pageBlock:
		r.cut()
		r.flavor = inPage // what it is around a listing
		if r.depth--; r.depth > 0 {
			r.begin()
		}
	case pageHidden:
		r.hid("how a text is read aloud")
	case pageBreak:
		r.stretched()
	case pageProperty:
		return r.props.closes(property)
	}
	return nil
}
