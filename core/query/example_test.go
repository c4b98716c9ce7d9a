package query_test

import (
	"fmt"

	"frizzel/core/edit"
	"frizzel/core/query"
	"frizzel/core/syntax"
	"frizzel/core/tree"
)

// A path selects values; one of them becomes another text, which is written in its quotes, and the
// result is proven.
func Example() {
	text := []byte("boards:\n  - {name: platform-1, feed: 'depot-3'} # the first\n")
	doc, err := tree.Parse(syntax.YAML, text)
	if err != nil {
		fmt.Println(err)
		return
	}
	path, err := query.Compile(`$.boards[?@.name == "platform-1"].feed`)
	if err != nil {
		fmt.Println(err)
		return
	}
	hits, err := path.Select(doc, nil)
	if err != nil {
		fmt.Println(err)
		return
	}
	for _, n := range hits.Nodes {
		v := doc.Show(n)
		edits, kind, err := doc.Write(v, edit.List{{Start: 0, End: len(v.Text), New: []byte("it's depot-4")}})
		if err != nil {
			fmt.Println(err)
			return
		}
		changes := tree.Changes{}
		changes.Become(n, "it's depot-4", kind)
		fresh := edits.Apply(text)
		_, _, err = doc.Prove(fresh, changes)
		fmt.Println(doc.Path(n), "was", string(v.Text), err)
		fmt.Print(string(fresh))
	}
	// Output:
	// $['boards'][0]['feed'] was depot-3 <nil>
	// boards:
	//   - {name: platform-1, feed: 'it''s depot-4'} # the first
}
