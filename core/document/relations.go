package document

import (
	"fmt"
	"path"
	"slices"
	"strings"
	"unicode"
)

// A relation is a reference from a part of an Office Open XML package to another part or to an external
// resource (ISO/IEC 29500-2, 6.5).
type relation struct {
	id, kind string // kind is the last segment of its type's URI
	target   string // a member's name, or an external URI
	outside  bool
	// The part that says the target, and where.
	part, from, to int
}

// link returns the target as that of a link.
func (r relation) link() link {
	if !r.outside {
		return link{}
	}
	return link{r.target, r.part, r.from, r.to}
}

// relations returns the relations of the part named of, or of the package if it is "".
func (b *builder) relations(of string) ([]relation, error) {
	dir, base := path.Split(of)
	m := b.doc.pack.find(dir + "_rels/" + base + ".rels")
	if m == nil {
		return nil, nil
	}
	p, err := b.load(m)
	if err != nil {
		return nil, err
	}
	r := &relationReader{builder: b, dir: dir}
	if err := r.quietly(p, r); err != nil {
		return nil, err
	}
	b.doc.parts = append(b.doc.parts, p)
	for i, rel := range r.all {
		r.all[i].part = len(b.doc.parts) - 1
		if rel.outside && rel.kind != "hyperlink" {
			b.doc.Hidden = append(b.doc.Hidden, Hidden{"link to a file", rel.target})
		}
	}
	return r.all, nil
}

// quietly walks a part that contains no text of the document.
func (b *builder) quietly(p *part, h handler) error {
	parts, s, at, f, frames, own := b.doc.parts, b.s, b.part, b.flavor, b.frames, b.frame
	b.frames = nil
	_, b.every = h.(*otherReader)
	err := b.walk(p, bare, h)
	b.every = false
	b.doc.parts, b.s, b.part, b.flavor, b.frames, b.frame = parts, s, at, f, frames, own
	return err
}

type relationReader struct {
	*builder
	dir string
	all []relation
}

func (r *relationReader) opens(name string) error {
	if name != "rel:Relationship" {
		return nil
	}
	rel := relation{id: r.s.value("Id"), kind: path.Base(r.s.value("Type")), target: r.s.value("Target"), outside: r.s.value("TargetMode") == "External"}
	rel.from, rel.to = r.s.attributeAt("Target")
	if strings.Contains(r.s.value("Type"), "digital-signature") {
		r.doc.signed = true
	}
	if !rel.outside {
		rel.target = strings.TrimPrefix(path.Join("/", strings.TrimPrefix(r.dir, "/"), rel.target), "/")
		if t := r.s.value("Target"); strings.HasPrefix(t, "/") {
			rel.target = strings.TrimPrefix(path.Clean(t), "/")
		}
	}
	r.all = append(r.all, rel)
	return nil
}

func (r *relationReader) closes(action) error { return nil }

// of returns the relations of a kind.
func of(all []relation, kind string) []relation {
	return slices.DeleteFunc(slices.Clone(all), func(r relation) bool { return r.kind != kind })
}

// byID returns the relation with an id.
func byID(all []relation, id string) (relation, bool) {
	i := slices.IndexFunc(all, func(r relation) bool { return r.id == id })
	if i < 0 || id == "" {
		return relation{}, false
	}
	return all[i], true
}

// main returns the package's main part and that part's relations.
func (b *builder) main() (*part, []relation, error) {
	all, err := b.relations("")
	if err != nil {
		return nil, nil, err
	}
	for _, r := range of(all, "officeDocument") {
		if m := b.doc.pack.find(r.target); m != nil {
			p, err := b.load(m)
			if err != nil {
				return nil, nil, err
			}
			own, err := b.relations(m.name)
			return p, own, err
		}
	}
	return nil, nil, errForeign
}

// each walks the target of each relation of a kind, and calls before first if it is not nil.
func (b *builder) each(all []relation, kind string, f flavor, h handler, before func(r relation, n int) error) error {
	for i, r := range of(all, kind) {
		m := b.doc.pack.find(r.target)
		if m == nil || r.outside || b.seen[m] {
			continue
		}
		p, err := b.load(m)
		if err != nil {
			return err
		}
		if before != nil {
			if err := before(r, i+1); err != nil {
				return err
			}
		}
		if err := b.walk(p, f, h); err != nil {
			return err
		}
	}
	return nil
}

// rest reads the remaining parts of a package: its properties, and parts with hidden texts.
func (b *builder) rest() error {
	all, err := b.relations("")
	if err != nil {
		return err
	}
	b.where = location{in: "properties"}
	for _, kind := range []string{"core-properties", "extended-properties", "extendedProperties", "custom-properties", "customProperties"} {
		if err := b.each(all, kind, bare, &propertyReader{builder: b}, nil); err != nil {
			return err
		}
	}
	for _, m := range b.doc.pack.members {
		if err := b.other(m); err != nil {
			return err
		}
	}
	return nil
}

// silent are the suffixes of parts that contain no text of an author.
var silent = []string{
	"[content_types].xml", "theme", "styles.xml", "fonttable.xml", "websettings.xml", "settings.xml", "calcchain.xml",
	"tablestyles.xml", "viewprops.xml", "presprops.xml", "meta-inf/manifest.xml", "manifest.rdf", "metadata.xml",
}

// other adds the characters of an XML part that is not shown as hidden texts, and the name of an embedded file
// that may contain text.
func (b *builder) other(m *member) error {
	name := strings.ToLower(m.name)
	switch ext := path.Ext(name); {
	case b.seen[m] || strings.HasSuffix(name, "/") || m.plain == 0:
		return nil
	case ext == ".rels":
		_, err := b.relations(strings.TrimSuffix(strings.Replace(m.name, "_rels/", "", 1), ".rels"))
		return err
	case strings.Contains(name, "embeddings/") || KindOf(name) != None:
		b.embedded = append(b.embedded, m.name)
		return nil
	case ext == ".bin" && strings.Contains(name, "vbaproject"), strings.HasPrefix(name, "basic/"), strings.HasPrefix(name, "scripts/"):
		b.embedded = append(b.embedded, m.name+" (macros)")
		return nil
	case ext != ".xml" && ext != ".rdf" && ext != ".vml":
		return nil
	}
	for _, s := range silent {
		if strings.Contains(name, s) {
			return nil
		}
	}
	p, err := b.load(m)
	if err != nil { // not readable as XML; it only had hidden text
		b.embedded = append(b.embedded, m.name)
		return nil
	}
	b.where = location{in: m.name}
	for _, known := range [][2]string{{"slidelayout", "slide layout"}, {"slidemaster", "slide master"}, {"notesmaster", "notes master"}, {"charts/", "chart"}, {"diagrams/", "diagram"}, {"glossary", "building block"}, {"customxml", "data of controls"}} {
		if strings.Contains(name, known[0]) {
			b.where.in = known[1]
		}
	}
	if b.quietly(p, &otherReader{builder: b, cached: strings.Contains(name, "pivot")}) != nil {
		b.embedded = append(b.embedded, m.name)
	}
	return nil
}

// An otherReader reads all characters of a part as hidden.
type otherReader struct {
	*builder
	cached bool // a pivot cache, whose values are attributes
}

const otherText action = 1

func (r *otherReader) opens(name string) error {
	switch {
	case r.cached:
		r.hide("", r.s.value("v"))
		r.hide("", r.s.value("name"))
	case name == "w:lvlText" && strings.ContainsFunc(r.s.value("w:val"), unicode.IsLetter):
		r.hide("text of list numbers", r.s.value("w:val"))
	case name == "v:textpath":
		r.hide("drawn text", r.s.value("string"))
	case name == "p:cSld":
		r.hide("name", r.s.value("name"))
	case strings.HasSuffix(name, ":cNvPr") || strings.HasSuffix(name, ":docPr"):
		r.hide("alternative text", r.s.value("descr"))
		r.hide("alternative text", r.s.value("title"))
	}
	r.hidesAll()
	return nil
}

// hidesAll reads the following characters as hidden, one text for each element.
func (b *builder) hidesAll() {
	if len(b.hiding) > 0 {
		b.hid("")
	}
	b.act, b.mode = otherText, hidden
}

func (r *otherReader) closes(action) error {
	r.hid("")
	return nil
}

// A propertyReader shows a document's properties: those of the standards, and those that its users defined.
type propertyReader struct {
	*builder
	name string // of the user-defined property
}

const property action = 1

// properties are the elements of properties that a person writes, as a reader calls them.
var properties = map[string]string{
	"dc:title": "title", "dc:subject": "subject", "cp:keywords": "keywords", "meta:keyword": "keyword", "dc:description": "description",
	"dc:creator": "author", "dc:contributor": "contributor", "dc:publisher": "publisher", "dc:rights": "rights",
	"meta:initial-creator": "first author", "cp:lastModifiedBy": "last author", "cp:category": "category", "cp:contentStatus": "status",
	"ep:Company": "company", "ep:Manager": "manager", "ep:HyperlinkBase": "base of links",
}

func (r *propertyReader) opens(name string) error {
	what := properties[name]
	switch name {
	case "op:property":
		r.name = r.s.value("name")
	case "vt:lpwstr", "vt:lpstr", "vt:bstr":
		if r.name == "" { // a link or a title, which stands elsewhere too
			r.hides(property)
			return nil
		}
		what = fmt.Sprintf("property %q", r.name)
	case "ep:Template":
		r.hides(property)
	case "meta:user-defined":
		what = fmt.Sprintf("property %q", r.s.value("meta:name"))
	}
	if what != "" && !r.s.empty {
		r.where = location{in: what}
		r.text(true)
		r.begin()
		r.mode, r.act = shown, property
	}
	return nil
}

func (r *propertyReader) closes(action) error {
	if r.mode == hidden {
		r.where = location{in: "properties"}
		r.hid("summary of the document")
		return nil
	}
	r.ended()
	r.end()
	if l := r.lines[len(r.lines)-1]; len(l.text) == 0 {
		r.lines = r.lines[:len(r.lines)-1]
	}
	return nil
}
