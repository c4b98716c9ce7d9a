package usecase

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"frizzel/core/compile"
	"frizzel/core/diff"
	"frizzel/core/edit"
	"frizzel/core/lines"
	"frizzel/core/program"
	"frizzel/core/script"
	"frizzel/core/textfile"
	"frizzel/internal/disk"
	"frizzel/internal/exit"
	"frizzel/internal/rules"
	"frizzel/internal/run"
	"frizzel/internal/values"
)

// StampOptions are the options of Stamp.
type StampOptions struct {
	Templates []string
	To        string // the path of each file, with placeholders
	Rows      []values.Row
	Write     *Writing    // nil for a preview
	Rules     rules.Given // further ones, over all that is made; its Values and ValueFiles serve the templates too
}

// ReadRows reads a file of rows.
func ReadRows(path string) ([]values.Row, error) {
	text, err := disk.ReadBounded(path, rules.MaxTable)
	if err != nil {
		return nil, exit.NotRead("file of rows", path, err)
	}
	rows, err := values.ReadRows(path, text)
	if err != nil {
		return nil, exit.Wrongf("%s: %w", path, err)
	}
	return rows, nil
}

// Stamped is a file that a row makes of a template.
type Stamped struct {
	Path     string // as --to has it
	Template int    // by its place among those given
	Row      int    // its number, from 1
	Exists   bool
	Old      []byte // the current content
	Edits    edit.List
	meta     disk.Meta

	whole string  // the absolute path; links in the part that --to names are resolved
	in    disk.ID // its directory; zero if that is to be made
}

// Changes returns the number of runs of changed lines; 1 for a new file.
func (s *Stamped) Changes() int { return len(s.Edits) }

// Stamps are the files that rows make.
type Stamps struct {
	Files    []*Stamped // in the order of their paths, without those that are as they are to be
	Same     int        // number of unchanged files
	Warnings script.Problems
	// Rules is the summary of the further rules over all files, or nil. Labels are their labels.
	Rules  *run.Summary
	Labels []string
}

// Stamp makes all files. Nothing is written. The error is a wrong command line, script.Problems or
// a refusal.
func Stamp(ctx context.Context, o StampOptions) (*Stamps, error) {
	if o.Write != nil {
		if _, err := Recover(ctx, *o.Write); err != nil { // the files must not be half of another run
			return nil, err
		}
	}
	st := &stamping{StampOptions: o, byPath: map[string]*Stamped{}, used: map[string]bool{}}
	if err := st.parse(); err != nil {
		return nil, err
	}
	all := &Stamps{}
	var wrongs []error
	for _, row := range o.Rows {
		for i := range st.templates {
			s, err := st.one(i, row)
			var problems script.Problems
			switch {
			case errors.As(err, &problems):
				return nil, err
			case err != nil:
				wrongs = append(wrongs, err)
			case len(s.Edits) == 0 && s.Exists:
				all.Same++
			default:
				all.Files = append(all.Files, s)
			}
		}
	}
	if len(wrongs) > 0 {
		return nil, exit.With(exit.Wrong, errors.Join(wrongs...))
	}
	if err := st.unused(); err != nil {
		return nil, err
	}
	if err := st.rules.tell(all); err != nil {
		return nil, err
	}
	slices.SortFunc(all.Files, func(a, b *Stamped) int { return strings.Compare(a.Path, b.Path) })
	return all, nil
}

// A stamping is the parsed templates, and the files made so far.
type stamping struct {
	StampOptions
	to        *script.Text
	templates []stampTemplate
	rules     *stampRules
	byPath    map[string]*Stamped
	used      map[string]bool // values that something refers to
}

type stampTemplate struct {
	path, raw string
	text      *script.Text
	tongue    textfile.Tongue
	mode      fs.FileMode
}

// parse reads the templates and what their files are to be called.
func (st *stamping) parse() error {
	var problems script.Problems
	st.to, problems = script.ParseTemplate("--to", st.To)
	for _, path := range st.Templates {
		info, err := os.Stat(path)
		if err != nil {
			return exit.NotRead("template", path, err)
		}
		raw, err := disk.ReadBounded(path, rules.MaxScript)
		if err != nil {
			return exit.NotRead("template", path, err)
		}
		if textfile.IsBinary(raw) {
			return exit.Wrongf("%q is binary, and no template", path)
		}
		text, ps := script.ParseTemplate(path, string(raw))
		problems = append(problems, ps...)
		t := stampTemplate{path: path, raw: string(raw), text: text, mode: info.Mode()}
		t.tongue.Read(raw)
		st.templates = append(st.templates, t)
	}
	if len(problems) > 0 {
		return problems
	}
	var err error
	if st.rules, err = newStampRules(st.Rules); err != nil {
		return err
	}
	for name := range st.Rules.Values {
		if _, ok := st.Rows[0].Values[name]; ok {
			return exit.Wrongf("%s is both a column and given with --param: which is meant?", name)
		}
	}
	return nil
}

// values returns the values of a row.
func (st *stamping) values(row values.Row) map[string]string {
	all := maps.Clone(st.rules.Options.Shared)
	maps.Copy(all, row.Values)
	maps.Copy(all, st.Rules.Values)
	return all
}

// one makes a row's file of a template.
func (st *stamping) one(i int, row values.Row) (*Stamped, error) {
	t := &st.templates[i]
	o := compile.Options{Values: st.values(row), Row: row.Number, Now: st.rules.Options.Now}
	path, err := st.path(t, row, o)
	if err != nil {
		return nil, err
	}
	file := program.File{Path: path, Rel: path}
	fresh, err := st.fill(t.path, t.text, t.raw, file, row, o)
	if err != nil {
		return nil, err
	}
	if err := t.tongue.Refuses(fresh); err != nil {
		return nil, exit.Wrongf("row %d: %s is in no encoding that tells itself, and a value is not ASCII: save it as UTF-8", row.Number, t.path)
	}
	if fresh, err = st.rules.over(fresh, file, row, o.Values); err != nil {
		return nil, err
	}
	whole, err := st.whole(path)
	if err != nil {
		return nil, err
	}
	s := &Stamped{Path: path, Template: i, Row: row.Number, whole: whole}
	if other := st.byPath[whole]; other != nil && other.Row == row.Number {
		return nil, exit.Wrongf("row %d makes %s of two templates; {=filename} in --to is the template's name", row.Number, path)
	} else if other != nil {
		return nil, exit.Wrongf("rows %d and %d both make %s; tell them apart in --to by a column, or by {=count}", other.Row, row.Number, path)
	}
	st.byPath[whole] = s
	return s, s.against(fresh, t)
}

// fill fills in a text for a row.
func (st *stamping) fill(name string, t *script.Text, raw string, file program.File, row values.Row, o compile.Options) ([]byte, error) {
	form, used, problems := compile.Form(name, t, raw, o)
	if len(problems) > 0 {
		return nil, problems
	}
	for _, u := range used {
		st.used[u] = true
	}
	out, err := form.Fill(file, row.Number)
	if err != nil {
		return nil, exit.Wrongf("%s, row %d: %w", name, row.Number, err)
	}
	return out, nil
}

// path returns the path of a row's file. Values may contain names of files and directories, but must not lead out
// of the directory of --to, unless its literal text does.
func (st *stamping) path(t *stampTemplate, row values.Row, o compile.Options) (string, error) {
	out, err := st.fill("--to", st.to, st.To, program.File{Path: t.path}, row, o)
	if err != nil {
		return "", err
	}
	path := string(out)
	ups := func(s string) (n int) {
		for part := range strings.SplitSeq(s, "/") {
			if part == ".." {
				n++
			}
		}
		return n
	}
	switch {
	case path == "" || strings.HasSuffix(path, "/") || strings.ContainsAny(path, "\x00\n"):
		return "", exit.Wrongf("row %d: %q names no file", row.Number, path)
	case ups(path) > ups(st.To) || filepath.IsAbs(path) && !filepath.IsAbs(st.To):
		return "", exit.Wrongf("row %d: %q leads out of the directory that --to names", row.Number, path)
	}
	return filepath.Clean(path), nil
}

// whole returns the absolute path of a file. The user named the directories before the first placeholder of --to, or
// without a placeholder all of it: links there are followed. Links below are not.
func (st *stamping) whole(path string) (string, error) {
	named, _, filled := strings.Cut(st.To, "{=")
	if !filled {
		return disk.Resolve(path)
	}
	base, err := disk.Resolve(named[:strings.LastIndexByte(named, '/')+1])
	if err != nil {
		return "", err
	}
	abs, err := filepath.Abs(path)
	if err != nil {
		return "", err
	}
	typed, err := filepath.Abs(named[:strings.LastIndexByte(named, '/')+1])
	if err != nil {
		return "", err
	}
	if rel, err := filepath.Rel(typed, abs); err == nil && filepath.IsLocal(rel) {
		return filepath.Join(base, rel), nil
	}
	return abs, nil
}

// unused returns an error about values given with --param that nothing refers to.
func (st *stamping) unused() error {
	for _, name := range slices.Sorted(maps.Keys(st.Rules.Values)) {
		if !st.used[name] && !st.rules.has(name) {
			return exit.Wrongf("a value is given for %s, and nothing refers to it", name)
		}
	}
	return nil
}

// against compares the new content of a file with the current one.
func (s *Stamped) against(fresh []byte, t *stampTemplate) error {
	if template, err := disk.Resolve(t.path); err == nil && template == s.whole {
		return exit.Wrongf("row %d would write over its template %s", s.Row, t.path)
	}
	err := s.read()
	switch {
	case errors.Is(err, fs.ErrNotExist):
		s.Edits = edit.List{{New: fresh, Rules: []int{s.Template}}}
		s.meta = disk.Meta{Mode: uint32(t.mode.Perm()) &^ disk.Umask(), UID: os.Geteuid(), GID: os.Getegid()}
		return nil
	case errors.Is(err, disk.ErrNotDir):
		return exit.Wrongf("row %d: a directory of %s is a file, or a link that --to does not name before its first placeholder", s.Row, s.Path)
	case errors.Is(err, disk.ErrNotRegular):
		return exit.Wrongf("row %d: %s exists and is not a regular file", s.Row, s.Path)
	case err != nil:
		return fmt.Errorf("row %d: %w", s.Row, err)
	}
	s.Exists = true
	if textfile.IsBinary(s.Old) {
		return exit.Wrongf("row %d: %s is there already, and binary", s.Row, s.Path)
	}
	for _, e := range diff.Compare(s.Old, fresh) {
		e.Rules = []int{s.Template}
		s.Edits = append(s.Edits, e)
	}
	return nil
}

// read reads the current content, and follows no link to it.
func (s *Stamped) read() error {
	dir, err := disk.Real{}.OpenDir(filepath.Dir(s.whole))
	if err != nil {
		return err
	}
	defer disk.Close(dir)
	s.in = dir.ID()
	f, err := dir.Open(filepath.Base(s.whole))
	if err != nil {
		return err
	}
	defer disk.Close(f)
	s.Old, err = disk.ReadStream(disk.Reader(f), s.Path, rules.MaxTable)
	return err
}

// Line returns the 1-based line that an edit changes.
func (s *Stamped) Line(e edit.Edit) int { return lines.Number(s.Old, e.Start) }

// Text returns the text of the file with the accepted changes.
func (s *Stamped) Text(taken edit.List) []byte { return bytes.Clone(taken.Apply(s.Old)) }
