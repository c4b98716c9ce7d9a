package document

import "fmt"

// A drawingReader reads DrawingML (ISO/IEC 29500-1, 21): slides, their notes, and text boxes.
type drawingReader struct {
	*builder
	alternatives
	relations  []relation
	tables     []location
	properties [2]int32 // half-open range of the current run's properties
}

const (
	_ action = iota
	drawnParagraph
	drawnText
	drawnTable
	drawnBreak
	drawnAlternatives
	drawnFallback
	drawnProperties
	drawnComment
	drawnFormula
)

// slides reads a presentation.
func (b *builder) slides() error {
	main, all, err := b.main()
	if err != nil {
		return err
	}
	order := &showReader{builder: b}
	if err := b.quietly(main, order); err != nil {
		return err
	}
	if !order.is {
		return errForeign
	}
	for i, id := range order.ids {
		rel, ok := byID(all, id)
		if !ok {
			continue
		}
		if err := b.slide(rel, i+1); err != nil {
			return err
		}
	}
	return b.rest()
}

// slide reads a slide, its notes and its comments.
func (b *builder) slide(rel relation, n int) error {
	own, err := b.relations(rel.target)
	if err != nil {
		return err
	}
	r := b.drawing(own)
	name := fmt.Sprintf("slide %d", n)
	in := func(what string) func(relation, int) error {
		return func(rel relation, _ int) (err error) {
			r.where = location{in: name + what}
			r.relations, err = b.relations(rel.target)
			return err
		}
	}
	if err := b.each([]relation{rel}, rel.kind, inSlide, r, in("")); err != nil {
		return err
	}
	if err := b.each(own, "notesSlide", inSlide, r, in(" notes")); err != nil {
		return err
	}
	return b.each(own, "comments", inSlide, r, in(" comment"))
}

func (b *builder) drawing(own []relation) *drawingReader {
	r := &drawingReader{builder: b, relations: own}
	r.alternatives.builder = b
	return r
}

// A showReader reads the list of slides in order.
type showReader struct {
	*builder
	is  bool
	ids []string
}

func (r *showReader) opens(name string) error {
	switch name {
	case "p:presentation":
		r.is = true
	case "p:sldId":
		r.ids = append(r.ids, r.s.value("r:id"))
	}
	return nil
}

func (r *showReader) closes(action) error { return nil }

func (r *drawingReader) opens(name string) error {
	switch name {
	case "a:p":
		r.act, r.mode = drawnParagraph, ignored
		l := r.begin()
		l.spare = r.fallback > 0
	case "a:r":
		r.properties = [2]int32{}
	case "a:rPr":
		r.act = drawnProperties
		r.properties = [2]int32{int32(r.s.start), int32(r.s.end)}
	case "a:pPr", "a:bodyPr", "a:lstStyle", "a:endParaRPr", "p:spPr", "xdr:spPr":
		r.skip = true
	case "m:t":
		r.hides(drawnFormula)
	case "a:fld":
		r.lock = r.locked("it is the result of a field")
	case "a:t":
		if r.current() == nil {
			r.begin().spare = r.fallback > 0
		}
		r.act, r.mode = drawnText, shown
		r.text(true)
		r.texts[len(r.texts)-1].properties = r.properties
	case "a:br":
		r.act = drawnBreak
		r.put("\u2028", element, r.s.start, r.s.end)
	case "p:text":
		r.act, r.mode = drawnComment, shown
		r.flavor = bare
		r.text(true)
		r.begin()
	case "a:tbl":
		r.act = drawnTable
		r.tables = append(r.tables, r.where)
	case "a:tr":
		r.where.row++
		r.where.column = 0
	case "a:tc":
		r.where.column++
	case "a:hlinkClick":
		r.hide("tooltip of a link", r.s.value("tooltip"))
		if rel, ok := byID(r.relations, r.s.value("r:id")); ok && rel.outside && r.current() != nil {
			r.current().links = append(r.current().links, rel.link())
		}
	case "p:cNvPr", "xdr:cNvPr":
		r.hide("alternative text", r.s.value("descr"))
		r.hide("alternative text", r.s.value("title"))
	case "mc:AlternateContent":
		r.act = drawnAlternatives
		r.begins()
	case "mc:Fallback":
		r.act = drawnFallback
		r.fallback++
	}
	return nil
}

func (r *drawingReader) closes(act action) error {
	switch act {
	case drawnParagraph:
		r.end()
	case drawnText:
		r.ended()
	case drawnComment:
		r.ended()
		r.end()
		r.flavor = inSlide
	case drawnFormula:
		r.hid("formula")
	case drawnProperties:
		r.properties[1] = int32(r.s.end)
	case drawnBreak:
		r.stretched()
	case drawnTable:
		r.where = r.tables[len(r.tables)-1]
		r.tables = r.tables[:len(r.tables)-1]
	case drawnAlternatives:
		r.ends()
	case drawnFallback:
		r.fallback--
	}
	return nil
}
