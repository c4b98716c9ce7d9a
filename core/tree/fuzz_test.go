package tree

import (
	"testing"

	"frizzel/core/edit"
	"frizzel/core/syntax"
)

// Whatever a text is, nothing that is asked of its tree panics, and nothing that is proven is wrong
// about what it leaves alone.
func FuzzTree(f *testing.F) {
	for _, of := range []map[syntax.Syntax][]string{samples, layouts, odd} {
		for s, texts := range of {
			for _, text := range texts {
				f.Add(int(s), text, "a: b", 3)
			}
		}
	}
	f.Fuzz(func(t *testing.T, n int, text, fresh string, pick int) {
		s := syntax.Syntax(max(n, 0)%int(syntax.BareCSV) + 1)
		d, err := Parse(s, []byte(text))
		if err != nil || len(text) > 1<<12 {
			return
		}
		if _, _, err := d.Prove(d.Text, nil); err != nil {
			t.Fatal(err)
		}
		finder := &Finder{Syntax: s}
		finder.At(d.Text, max(pick, 0)%(len(text)+1))
		for _, root := range d.Roots {
			nodes := every(root, nil)
			n := nodes[max(pick, 0)%len(nodes)]
			v := d.Show(n)
			for at := range v.Text {
				if p := v.Place(at); p < 0 || p > len(text) {
					t.Fatalf("%d of a value is said to stand at %d", at, p)
				}
			}
			check := func(edits edit.List, changes Changes, err error) {
				if err == nil && edits.Fits(len(text)) {
					_, _, _ = d.Prove(edits.Apply(d.Text), changes)
				}
			}
			if n.Kind != Alias && !d.Scattered(n) {
				edits, kind, err := d.Write(v, edit.List{{Start: len(v.Text) / 2, End: len(v.Text), New: []byte(fresh)}})
				changes := Changes{}
				changes.Become(n, string(v.Text[:len(v.Text)/2])+fresh, kind)
				check(edits, changes, err)
			}
			check(d.Delete([]*Node{n}))
			check(d.Rename(n, fresh))
			check(d.Settle(n, []Step{{Name: fresh}, {Name: "deep"}}, Fresh{Text: fresh}, true))
			check(d.Settle(n, nil, Fresh{Text: fresh, Literal: true}, true))
			check(d.SettleItem(n, []Step{{Name: "list"}}, Fresh{Text: fresh}, true))
			found := []Step{{Item: true, With: []Test{{Steps: []Step{{Name: "name"}}, Text: fresh, Kind: String}}}, {Name: "port"}}
			check(d.Settle(n, found, Fresh{Text: fresh, Literal: len(fresh)%2 == 0, Place: Place{Top: true}}, true))
			if n.Parent != nil {
				near := n.Parent.Members[len(fresh)%len(n.Parent.Members)]
				check(d.Move([]*Node{n}, Place{Below: len(fresh)%2 == 0, Near: []Step{{Name: near.Name, Numbered: n.Parent.Kind == Array, Index: near.Index()}}}))
				check(d.Settle(n.Parent, []Step{{Name: fresh}}, Fresh{Text: fresh, Place: Place{Near: []Step{{Name: n.Name}}}}, true))
			}
		}
	})
}
