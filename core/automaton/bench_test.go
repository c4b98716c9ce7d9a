package automaton

import (
	"fmt"
	"strings"
	"testing"
)

// Expressions as administrators write them, over lines of configuration of which few match.
func BenchmarkLines(b *testing.B) {
	var text strings.Builder
	for i := 0; text.Len() < 1<<20; i++ {
		fmt.Fprintf(&text, "\tdepot_%d: board.clock(kiosk, %d) // of the signal box\n", i%40, i*7919%10000)
	}
	for _, source := range []string{`[0-9]{1,3}(\.[0-9]{1,3}){3}`, `\w+@\w+\.\w+`, `^\s*[A-Za-z_]+\s*=\s*\S+$`, `([a-z]+ ){8}[0-9]+`, `(?i)depot-[0-9]`} {
		m, _ := machineOf(b, source)
		b.Run(source, func(b *testing.B) {
			b.SetBytes(int64(text.Len()))
			for b.Loop() {
				f := m.Finder()
				f.Line([]byte(text.String()), 0)
				f.Done()
			}
		})
	}
}
