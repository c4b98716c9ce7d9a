package main

import (
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
)

// writeTree writes what is gone through for the other tables: a copy of the Go sources, ten
// smaller logs, and scripts.
func (b *bench) writeTree(text []byte) error {
	root, err := exec.Command("go", "env", "GOROOT").Output()
	if err != nil {
		return err
	}
	sources := filepath.Join(strings.TrimSpace(string(root)), "src")
	if err := os.CopyFS(filepath.Join(b.disk, "src"), os.DirFS(sources)); err != nil {
		return err
	}
	log, err := os.Create(filepath.Join(b.disk, "tenth"))
	if err != nil {
		return err
	}
	for range *size / 160 {
		if _, err := log.Write(text); err != nil {
			return err
		}
	}
	if err := log.Close(); err != nil {
		return err
	}
	return b.scripts()
}

// scripts writes rules, of which hardly any finds anything in the sources.
func (b *bench) scripts() error {
	r := rand.New(rand.NewPCG(1, 2))
	word := func() string {
		w := make([]byte, 6+r.IntN(5))
		for i := range w {
			w[i] = byte('a' + r.IntN(26))
		}
		return string(w)
	}
	files := map[string]string{}
	var ten strings.Builder
	for range 10 {
		fmt.Fprintf(&ten, "replace word \"%s\" with \"x\"\n", word())
	}
	files["ten.friz"] = ten.String()
	for _, n := range []int{1000, 100_000} {
		var table strings.Builder
		for i := range n {
			fmt.Fprintf(&table, "%s%d,x\n", word(), i%7)
		}
		files[fmt.Sprintf("%d.csv", n)] = table.String()
		files[fmt.Sprintf("%d.friz", n)] = fmt.Sprintf("replace each word from table \"%d.csv\"\n", n)
	}
	expressions := []string{
		`([a-z]+ ){8}[0-9]+ and`, `[0-9]{1,3}(\.[0-9]{1,3}){3}:[0-9]+`, `\w+@\w+\.\w+>`, `v[0-9]+\.[0-9]+\.[0-9]+ `, `^\s*[A-Za-z_]+\s*=\s*on$`,
		`^\s*q[0-9]+$`, `\d{4}-\d{2}-\d{2}T\d`, `[Pp]ort\s+\d+ of`, `[A-Z]{12,}Q`, `x[0-9a-f]{8}z`,
	}
	for n, name := range map[int]string{1: "one-expression.friz", 10: "ten-expressions.friz"} {
		var rules strings.Builder
		for _, e := range expressions[:n] {
			fmt.Fprintf(&rules, "replace regex '%s' with \"x\"\n", e)
		}
		files[name] = rules.String()
	}
	files["1.csv"] = "depot-3,depot-4\n"
	for name, text := range files {
		if err := os.WriteFile(filepath.Join(b.disk, name), []byte(text), 0o600); err != nil {
			return err
		}
	}
	return nil
}

// tree is what is looked for, and changed, in the Go sources.
func (b *bench) tree() []row {
	cat := "find src -type f -print0 | xargs -0 cat > /dev/null"
	one := b.program + " preview --word qqzzqq --with x src > /dev/null 2>&1"
	looks := func(work, goal string, args ...string) row {
		return row{work: work, against: "cat of the tree", base: cat, args: append(args, "src"), in: b.disk, goal: goal}
	}
	return []row{
		looks("find a literal", "0.45", "find", "--text", "stroke-dashoffset"),
		looks("find a word", "0.45", "find", "--word", "junction"),
		looks("find a literal ignoring case", "0.45", "find", "--ignore-case", "--text", "stroke-dashoffset"),
		looks("find `[0-9]{1,3}(\\.[0-9]{1,3}){3}`", "1.0", "find", "--regex", `[0-9]{1,3}(\.[0-9]{1,3}){3}`),
		looks("find `\\w+@\\w+\\.\\w+`", "1.0", "find", "--regex", `\w+@\w+\.\w+`),
		looks("find `[0-9]+\\.[0-9]+\\.[0-9]+`", "1.0", "find", "--regex", `[0-9]+\.[0-9]+\.[0-9]+`),
		looks("find `^\\s*[A-Za-z_]+\\s*=\\s*\\S+$`", "1.0", "find", "--regex", `^\s*[A-Za-z_]+\s*=\s*\S+$`),
		looks("find `([a-z]+ ){8}[0-9]+`", "1.0", "find", "--regex", `([a-z]+ ){8}[0-9]+`),
		looks("find `x[0-9a-f]{8}z`", "1.0", "find", "--regex", `x[0-9a-f]{8}z`),
		looks("find `[Pp]ort\\s+\\d+ of`", "1.0", "find", "--regex", `[Pp]ort\s+\d+ of`),
		looks("preview, ten word rules", "0.8", "preview", "-r", "ten.friz"),
		{work: "preview, a table of 1,000 words", against: "one word", base: one, args: []string{"preview", "-r", "1000.friz", "src"}, in: b.disk, goal: "1.2"},
		{work: "preview, a table of 100,000 words", against: "one word", base: one, args: []string{"preview", "-r", "100000.friz", "src"}, in: b.disk, goal: "2"},
		{work: "apply to every file", against: "cp -r, sync", base: "cp -r src copy && sync", args: []string{"apply", "--yes", "--allow-broken", "--rule", `replace text "e" with "E" first in file`, "src"}, after: []string{"undo", "--yes"}, in: b.disk, goal: "1.5"},
		{work: "start, confined, and look through one small file", against: "true", base: "exec true", args: []string{"find", "--word", "junction", "1.csv"}, in: b.disk, goal: "3"},
	}
}

// growth is what ten times as much costs.
func (b *bench) growth() []row {
	find := b.program + " find --word junction-9 "
	preview := b.program + " preview -r "
	return []row{
		{work: "find in ten times the bytes", against: "in a tenth", base: find + "tenth", args: []string{"find", "--word", "junction-9", "log"}, in: b.disk, goal: "10.5"},
		{work: "find in ten times the files", against: "in a tenth", base: find + "tree/kiosk-?[0-2]? || true", args: []string{"find", "--word", "junction-9", "tree"}, in: b.memory, goal: "10.5"},
		{work: "preview, ten expressions", against: "one of them", base: preview + "one-expression.friz src > /dev/null 2>&1", args: []string{"preview", "-r", "ten-expressions.friz", "src"}, in: b.disk, goal: "4"},
		{work: "preview, ten words", against: "one word", base: b.program + " preview --word qqzzqq --with x src > /dev/null 2>&1", args: []string{"preview", "-r", "ten.friz", "src"}, in: b.disk, goal: "10.5"},
	}
}
