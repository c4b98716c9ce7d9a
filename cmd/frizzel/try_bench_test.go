package main

import (
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// manyFiles makes a directory of files with made-up settings, the words host-0 to host-9 among them.
func manyFiles(tb testing.TB, n int) (dir string) {
	dir = filepath.Join(tb.TempDir(), "tree")
	r := rand.New(rand.NewPCG(7, 7))
	words := strings.Fields("clock kiosk board platform signal box timetable server port path log feed")
	for i := range n {
		at := filepath.Join(dir, fmt.Sprint("d", i%97))
		require.NoError(tb, os.MkdirAll(at, 0o755))
		var b strings.Builder
		for range 20 + r.IntN(100) {
			fmt.Fprintf(&b, "%s = %s host-%d\n", words[r.IntN(len(words))], words[r.IntN(len(words))], r.IntN(10))
		}
		require.NoError(tb, os.WriteFile(filepath.Join(at, fmt.Sprintf("f%d.conf", i)), []byte(b.String()), 0o644))
	}
	return dir
}

// waits waits until a line of the screen matches, and returns how long that took. It looks often.
func (term *terminal) waits(line string) time.Duration {
	wanted, begun := regexp.MustCompile(line), time.Now()
	for {
		term.mu.Lock()
		there := wanted.MatchString(term.vt.String())
		now := time.Since(begun)
		term.mu.Unlock()
		if there || now > patience {
			require.True(term.t, there, "waiting for %q", line)
			return now
		}
		time.Sleep(200 * time.Microsecond)
	}
}

// BenchmarkTry measures the time from a key to the first result on the screen, with 10,000 files.
func BenchmarkTry(b *testing.B) {
	dir := manyFiles(b, 10_000)
	term := atTerminalOf(b, 126, 38, dir, "try", "--text", "host-1")
	term.waits("of 10.?000")
	time.Sleep(time.Second)
	var took []time.Duration
	for n := 0; b.Loop(); n++ { // the last digit is another one: other lines match
		digit := fmt.Sprint(2 + n%7)
		term.press("\x7f" + digit)
		took = append(took, term.waits(`= \w+ host-`+digit+` `)) // a line of a file
		if n%3 == 0 {
			time.Sleep(300 * time.Millisecond)
		}
	}
	slices.Sort(took)
	b.ReportMetric(float64(took[len(took)/2].Microseconds())/1000, "ms-median")
	b.ReportMetric(float64(took[len(took)*95/100].Microseconds())/1000, "ms-95%")
	b.ReportMetric(float64(took[len(took)-1].Microseconds())/1000, "ms-max")
}
