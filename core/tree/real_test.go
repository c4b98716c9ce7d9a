package tree

import (
	"io/fs"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"frizzel/core/edit"
	"frizzel/core/syntax"
)

// Real files, of the directories that FRIZZEL_TREES lists: values become others, members come, go and
// get other names, and all else stays; hardly anything is refused.
func TestRealFiles(t *testing.T) {
	roots := os.Getenv("FRIZZEL_TREES")
	if roots == "" {
		t.Skip("FRIZZEL_TREES lists no directories")
	}
	y, files := newTally(), map[syntax.Syntax]int{}
	for _, root := range strings.Split(roots, ":") {
		_ = filepath.WalkDir(root, func(path string, e fs.DirEntry, err error) error {
			if err != nil || !e.Type().IsRegular() || syntax.Of(path) == syntax.None {
				return nil
			}
			text, err := os.ReadFile(path)
			if err != nil || len(text) > 256<<10 {
				return nil
			}
			if d, err := Parse(syntax.Of(path), text); err == nil {
				files[d.Syntax]++
				tryReal(t, y, d, path)
			}
			return nil
		})
	}
	for s, n := range y.tried {
		t.Logf("%v: %d files, of %d changes %d refused at once and %d when proven", s, files[s], n, y.refused[s], y.wrong[s])
		require.LessOrEqual(t, y.wrong[s]*100, 2*n, "%v", s)
	}
}

// tryReal changes some of a real document's values and members.
func tryReal(t *testing.T, y *tally, d *Document, path string) {
	_, _, err := d.Prove(d.Text, nil)
	require.NoError(t, err, path)
	r := rand.New(rand.NewPCG(uint64(len(d.Text)), 7))
	for _, root := range d.Roots {
		values, nodes := scalars(root, nil), every(root, nil)
		for range min(len(values), 6) {
			n := values[r.IntN(len(values))]
			v := d.Show(n)
			want := string(v.Text) + "x"
			edits, kind, err := d.Write(v, edit.List{{Start: len(v.Text), End: len(v.Text), New: []byte("x")}})
			y.prove(t, d, path+": set "+d.Path(n), edits, Changes{n: {Text: &want, Kind: kind}}, err)
		}
		for range min(len(nodes)-1, 4) {
			n := nodes[1+r.IntN(len(nodes)-1)]
			if n.Kind == Characters || n.Kind == Instruction {
				continue
			}
			edits, changes, err := d.Delete([]*Node{n})
			y.prove(t, d, path+": delete "+d.Path(n), edits, changes, err)
			if n.Key < n.KeyEnd {
				edits, changes, err = d.Rename(n, "renamed")
				y.prove(t, d, path+": rename "+d.Path(n), edits, changes, err)
			}
			if n.Kind == Object || n.Kind == Element {
				edits, changes, err = d.Settle(n, []Step{{Name: "added"}}, Fresh{Text: "a: b"}, true)
				y.prove(t, d, path+": add to "+d.Path(n), edits, changes, err)
			}
		}
	}
}
