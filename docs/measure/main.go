// Measure prints the tables that docs/performance.md begins with: how long the program takes
// against the plainest command that reads or writes the same files, and how much memory.
//
//	go run ./docs/measure [-size MiB] [-files N] [-runs N] [-directory F] [-memory F] [-only TEXT]
//
// All are whole processes, on files in the page cache. Of each row the command to hold against
// and the program run in turns, and a figure is that of the median of the runs.
package main

import (
	"bytes"
	"flag"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"syscall"
	"time"
)

var (
	size   = flag.Int("size", 1024, "MiB of the log")
	files  = flag.Int("files", 300_000, "how many small files")
	runs   = flag.Int("runs", 5, "how often each is run")
	dir    = flag.String("directory", os.TempDir(), "a directory on a disk")
	memory = flag.String("memory", "/dev/shm", "a directory on a memory file system")
	only   = flag.String("only", "", "measure the rows that hold this text")
	write  = flag.Bool("write", false, "only write the files into the two directories, as the program itself asks for")
)

func main() {
	flag.Parse()
	if *write {
		b := &bench{disk: *dir, memory: *memory}
		if err := b.write(); err != nil {
			fmt.Fprintln(os.Stderr, "measure:", err)
			os.Exit(1)
		}
		return
	}
	b, err := newBench()
	if err == nil {
		defer b.clean()
		err = b.tables()
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, "measure:", err)
		os.Exit(1)
	}
}

// bench is the directories and the program that is measured.
type bench struct{ disk, memory, program string }

func newBench() (*bench, error) {
	b := &bench{}
	var err error
	if b.disk, err = os.MkdirTemp(*dir, "frizzel-measure-"); err != nil {
		return nil, err
	}
	if b.memory, err = os.MkdirTemp(*memory, "frizzel-measure-"); err != nil {
		return nil, err
	}
	b.program = filepath.Join(b.disk, "frizzel")
	build := exec.Command("go", "build", "-o", b.program, "./cmd/frizzel")
	build.Env = append(os.Environ(), "CGO_ENABLED=0")
	if out, err := build.CombinedOutput(); err != nil {
		return nil, fmt.Errorf("%w\n%s", err, out)
	}
	// A process of its own writes the files, since the memory of this one would count for those
	// that it starts.
	self, err := os.Executable()
	if err != nil {
		return nil, err
	}
	config := filepath.Join(b.disk, "config", "frizzel") // which lets no run be forgotten while another is measured
	if err := os.MkdirAll(config, 0o700); err != nil {
		return nil, err
	}
	if err := os.WriteFile(filepath.Join(config, "config.toml"), []byte("total = \"any\"\n"), 0o600); err != nil {
		return nil, err
	}
	out, err := exec.Command(self, "-write", "-size", fmt.Sprint(*size), "-files", fmt.Sprint(*files), "-directory", b.disk, "-memory", b.memory).CombinedOutput()
	if err != nil {
		err = fmt.Errorf("%w\n%s", err, out)
	}
	return b, err
}

func (b *bench) clean() { _, _ = os.RemoveAll(b.disk), os.RemoveAll(b.memory) }

// write writes the files that are gone through.
func (b *bench) write() error {
	var text bytes.Buffer
	for i := 0; text.Len() < 16<<20; i++ {
		place := "platform"
		if i%97 == 0 {
			place = "depot-3"
		}
		fmt.Fprintf(&text, "2026-03-01T%02d:%02d:%02d signal-box-%d kiosk[%d]: %s ticket %d accepted in %d ms\n",
			i/3600%24, i/60%60, i%60, i%60, i*31%9999, place, i*7919%1_000_000, i%999)
		if i == 50_000 {
			text.WriteString("2026-03-01T13:53:20 junction-9: the only line of its kind here\n")
		}
	}
	log, err := os.Create(filepath.Join(b.disk, "log"))
	if err != nil {
		return err
	}
	for range *size / 16 {
		if _, err := log.Write(text.Bytes()); err != nil {
			return err
		}
	}
	if err := log.Close(); err != nil {
		return err
	}
	dense := bytes.Repeat([]byte("depot-3 ab\n"), 8_000_000)
	line := append(bytes.Repeat([]byte(strings.Repeat("a long line of the log ", 40)+"depot-3 "), 215_000), '\n')
	var sections bytes.Buffer
	for i := 0; sections.Len() < 64<<20; i++ {
		fmt.Fprintf(&sections, "[kiosk-%d]\nhost = depot-3\n# the line to Millbrook\nport = 8415\nscreen {\n    lines = 6\n    feed = \"depot-3\"\n}\n\n", i)
	}
	var asJSON, asYAML bytes.Buffer
	asJSON.WriteString(`{"items": [`)
	asYAML.WriteString("items:\n")
	for i := range 200_000 {
		fmt.Fprintf(&asJSON, `{"name": "kiosk-%d", "host": "depot-3"}, `, i)
		fmt.Fprintf(&asYAML, "  - name: kiosk-%d\n    host: depot-3\n", i)
	}
	asJSON.WriteString("{}]}\n")
	for name, text := range map[string][]byte{"dense": dense, "line": line, "sections": sections.Bytes(), "items.json": asJSON.Bytes(), "items.yaml": asYAML.Bytes()} {
		if err := os.WriteFile(filepath.Join(b.disk, name), text, 0o600); err != nil {
			return err
		}
	}
	for i := range *files {
		in := filepath.Join(b.memory, "tree", fmt.Sprintf("kiosk-%03d", i/1000))
		if i%1000 == 0 {
			if err := os.MkdirAll(in, 0o700); err != nil {
				return err
			}
		}
		text := fmt.Sprintf("host = depot-3\nserver = 192.0.2.%d\n# %d\n", i%250, i*7)
		if err := os.WriteFile(filepath.Join(in, fmt.Sprintf("board-%03d.conf", i%1000)), []byte(text), 0o600); err != nil {
			return err
		}
	}
	if err := b.writeTree(text.Bytes()); err != nil {
		return err
	}
	syscall.Sync()
	return nil
}

// row is one line of the table.
type row struct {
	work, against string
	base          string   // a shell command, "" for none
	args          []string // of the program, or
	shell         string   // a shell command with the program in it
	in            string   // the directory
	first         []string // of the program, before each run
	after         []string // of the program, after each run
	goal          string
	most          int // MiB, 0 for any
}

func (b *bench) rows() []row {
	const depot = "--word depot-3 --with depot-44 --joiners -"
	words := func(s string) []string { return strings.Fields(s) }
	within := func(part string) []string {
		return append([]string{"preview", "--in", part}, words(depot+" sections")...)
	}
	copied := "cat log > copy && sync copy"
	return []row{
		{work: "find a word", against: "cat", base: "cat log > /dev/null", args: words("find --word junction-9 log"), in: b.disk, goal: "2", most: 64},
		{work: "count a word on every 97th line", against: "cat", base: "cat log > /dev/null", args: words("find --count --word depot-3 log"), in: b.disk, goal: "2", most: 64},
		{work: "preview, a summary of the same", against: "cat", base: "cat log > /dev/null", args: words("preview --format summary " + depot + " log"), in: b.disk, goal: "2", most: 96},
		{work: "preview, few lines change", against: "cat", base: "cat log > /dev/null", args: words("preview --word junction-9 --with junction-10 log"), in: b.disk, goal: "2.5", most: 64},
		{work: "preview, every 97th line changes", against: "cat to a file, sync", base: copied, args: words("preview " + depot + " log"), in: b.disk, goal: "2.5", most: 96},
		{work: "apply of the same", against: "cat to a file, sync", base: copied, args: words("apply --yes " + depot + " log"), after: words("undo --yes"), in: b.disk, goal: "2", most: 96},
		{work: "undo of the same", against: "cat to a file, sync", base: copied, first: words("apply --yes " + depot + " log"), args: words("undo --yes"), in: b.disk, goal: "2.5", most: 96},
		{work: "filter, one word rule", against: "cat through a pipe", base: "cat log | cat > /dev/null", shell: "cat log | " + b.program + " filter " + depot + " > /dev/null", in: b.disk, goal: "1.5", most: 32},
		{work: "preview of 8 million changes in 88 MB", args: words("preview " + depot + " dense"), in: b.disk, goal: "3 s", most: 256},
		{work: "find in one line of 200 MB", args: words("find --word depot-3 line"), in: b.disk, most: 300},
		{work: "preview in one section of 64 MiB", args: within(`section "kiosk-70000"`), in: b.disk, most: 256},
		{work: "preview in each block of 64 MiB", args: within(`block with word "screen"`), in: b.disk, most: 768},
		{work: "a member added to 200,000 items of JSON on one line", args: []string{"preview", "--rule", "at '$.items[*]' settle value '@.line' as 'north'", "--format", "summary", "items.json"}, in: b.disk, goal: "10 s", most: 1536},
		{work: "the same in YAML", args: []string{"preview", "--rule", "at '$.items[*]' settle value '@.line' as 'north'", "--format", "summary", "items.yaml"}, in: b.disk, goal: "20 s", most: 2048},
		{work: fmt.Sprintf("find over %d small files", *files), against: "cat of them", base: "find tree -type f -print0 | xargs -0 cat > /dev/null", args: words("find --word junction-9 tree"), in: b.memory, goal: "0.4", most: 32},
		{work: "apply to all of them", against: "cp -r", base: "cp -r tree copy", args: words("apply --yes " + depot + " tree"), after: words("undo --yes"), in: b.memory, goal: "1.7", most: 128},
		{work: "undo of that", against: "cp -r", base: "cp -r tree copy", first: words("apply --yes " + depot + " tree"), args: words("undo --yes"), in: b.memory, goal: "1.7", most: 128},
	}
}

// tables prints all tables.
func (b *bench) tables() error {
	fmt.Printf("On %d cores, %s of %s, %d runs each:\n", runtime.GOMAXPROCS(0), runtime.GOOS, runtime.GOARCH, *runs)
	for _, rows := range [][]row{b.rows(), b.tree(), b.growth()} {
		fmt.Println("\n| work | against | that takes | frizzel takes | ratio | goal | memory | at most |")
		fmt.Println("|---|---|---|---|---|---|---|---|")
		for _, r := range rows {
			if !strings.Contains(r.work, *only) {
				continue
			}
			if err := b.measure(r); err != nil {
				return fmt.Errorf("%s: %w", r.work, err)
			}
		}
	}
	return nil
}

// measure prints one row.
func (b *bench) measure(r row) error {
	var base, ours []time.Duration
	most := int64(0)
	for range *runs {
		if err := os.RemoveAll(filepath.Join(r.in, "state")); err != nil {
			return err
		}
		if r.base != "" {
			took, _, err := b.run(r.in, "sh", "-c", r.base)
			if err != nil {
				return err
			}
			base = append(base, took)
		}
		if r.first != nil {
			if _, _, err := b.run(r.in, b.program, r.first...); err != nil {
				return err
			}
			syscall.Sync()
		}
		command := append([]string{b.program}, r.args...)
		if r.shell != "" {
			command = []string{"sh", "-c", r.shell}
		}
		took, kib, err := b.run(r.in, command[0], command[1:]...)
		if err != nil {
			return err
		}
		ours, most = append(ours, took), max(most, kib)
		if r.after != nil {
			if _, _, err := b.run(r.in, b.program, r.after...); err != nil {
				return err
			}
		}
	}
	slices.Sort(base)
	slices.Sort(ours)
	took := ours[len(ours)/2]
	that, ratio := "", ""
	if len(base) > 0 {
		of := base[len(base)/2]
		that, ratio = seconds(of), fmt.Sprintf("%.1f", took.Seconds()/of.Seconds())
	}
	atMost := ""
	if r.most > 0 {
		atMost = fmt.Sprintf("%d MiB", r.most)
	}
	fmt.Printf("| %s | %s | %s | %s | %s | %s | %d MiB | %s |\n", r.work, r.against, that, seconds(took), ratio, r.goal, most>>10, atMost)
	return nil
}

func seconds(d time.Duration) string {
	if d < 100*time.Millisecond {
		return fmt.Sprintf("%.1f ms", d.Seconds()*1000)
	}
	return fmt.Sprintf("%.2f s", d.Seconds())
}

// run runs a command, and says how long it took, and how many KiB of memory.
func (b *bench) run(in, name string, args ...string) (time.Duration, int64, error) {
	defer func() { _ = os.RemoveAll(filepath.Join(in, "copy")) }()
	var errs bytes.Buffer
	c := exec.Command(name, args...)
	c.Dir, c.Stderr = in, &errs
	null, err := os.OpenFile(os.DevNull, os.O_WRONLY, 0)
	if err != nil {
		return 0, 0, err
	}
	defer func() { _ = null.Close() }()
	c.Stdout = null
	c.Env = append(os.Environ(), "FRIZZEL_STATE="+filepath.Join(in, "state"), "XDG_CONFIG_HOME="+filepath.Join(b.disk, "config"))
	begun := time.Now()
	err = c.Run()
	took := time.Since(begun)
	if err != nil && c.ProcessState.ExitCode() != 1 { // 1 tells that nothing was found
		return took, 0, fmt.Errorf("%s %v: %w\n%s", name, args, err, errs.String())
	}
	usage, _ := c.ProcessState.SysUsage().(*syscall.Rusage)
	return took, usage.Maxrss, nil
}
