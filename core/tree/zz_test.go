package tree
import ("testing";"fmt";"frizzel/core/syntax")
func TestZZ(t *testing.T){ return }
func TestYY(t *testing.T){
 for _, s := range []string{"k: [a: b, c]\n","k: [? a : b, c]\n","k: [? x]\n","k: [?x]\n","? x\n? y\n","!!set\n? x\n? y\n","!!set {x, y}\n","k: {a, b: 1}\n", "k: [a : , c]\n", "k: [: b, c]\n","k: [\"a\":b, c]\n"} {
  d, err := Parse(syntax.YAML, []byte(s)); fmt.Printf("%q %v\n", s, err); if err!=nil {continue}
  var w func(n *Node, dep string); w = func(n *Node, dep string){ sp,e := n.span(); fmt.Printf("%s%v %q name=%q text=%q span=%q scattered=%v\n", dep, n.Kind, s[n.Start:n.End], n.Name, n.Text, s[sp:e], n.scattered); for _,m := range n.Members { w(m, dep+"  ")}}
  w(d.Roots[0], " ")
 }
}
