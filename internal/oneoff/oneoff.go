// Package oneoff makes scripts of changes without a script file: those of the command line, and those that take shape in
// fields. The central type is [Change]. Problems name the option that they are about as their source.
package oneoff

import (
	"slices"
	"strings"

	"frizzel/core/script"
	"frizzel/internal/exit"
)

// A Change is a change without a script file, given on the command line.
type Change struct {
	Kind       string // text, word or regex; "" if only Statements are given
	Old        string
	With       *string // nil if it is only searched for
	IgnoreCase bool
	KeepCase   bool
	Where      []Where // addresses and paths, each within the one before
	Joiners    string
	Statements []string // of the rule language
	AlsoNames  bool     // the names of files and directories, and the targets of links, are meant as well
}

// A Where is an address: its opening word, which is on or in, and the rest; or at and a path; or, without an opening
// word, addresses in the language's words.
type Where struct{ Opening, Text string }

// Paths reports whether the change has paths and no other addresses.
func (o *Change) Paths() bool {
	return len(o.Where) > 0 && !slices.ContainsFunc(o.Where, func(w Where) bool { return w.Opening != "at" })
}

// Name is the name of the script that a one-off change amounts to.
const Name = "command line"

// Script returns the change as a script, nil if there is none. The error is a wrong command line or
// script.Problems, whose sources are the options.
func (o *Change) Script() (*script.Script, error) {
	var nodes []script.Node
	if o.Kind != "" {
		change, err := o.Node()
		if err != nil {
			return nil, err
		}
		nodes = append(nodes, change)
		if nodes, err = o.alsoNames(nodes, o.Node); err != nil {
			return nil, err
		}
	}
	more, err := o.statements()
	if err != nil {
		return nil, err
	}
	return o.scriptOf(append(nodes, more...))
}

// alsoNames adds what AlsoNames means: a statement for each subject besides the content.
func (o *Change) alsoNames(nodes []script.Node, statement func() (script.Node, error)) ([]script.Node, error) {
	if !o.AlsoNames {
		return nodes, nil
	}
	for _, of := range []script.Subject{script.FileName, script.DirectoryName, script.LinkTarget} {
		n, err := statement()
		if err != nil {
			return nil, err
		}
		a := &script.Address{Pos: headOf("--also-names").Pos, Form: &script.Names{Of: of}}
		nodes = append(nodes, script.Within([]*script.Address{a}, n))
	}
	return nodes, nil
}

// Search returns a script that searches for the pattern, or for each value of the paths if there is none.
func (o *Change) Search() (*script.Script, error) {
	found, err := o.search()
	if err != nil {
		return nil, err
	}
	nodes, err := o.alsoNames([]script.Node{found}, o.search)
	if err != nil {
		return nil, err
	}
	return o.scriptOf(nodes)
}

func (o *Change) search() (script.Node, error) {
	n := &script.Assert{Head: headOf("find"), Forbid: true}
	if o.Kind != "" {
		var err error
		if n.Pattern, err = o.pattern(); err != nil {
			return nil, err
		}
		n.Pattern.IgnoreCase = n.Pattern.IgnoreCase || o.KeepCase
	}
	return o.Addressed(n)
}

// Saved returns the change as a script file, which declares the files' syntax and encoding, if they are not "". The error is
// that of Script, or that there is no change.
func (o *Change) Saved(syntax, encoding string) (string, error) {
	s, err := o.Script()
	if err != nil {
		return "", err
	}
	if s == nil {
		return "", exit.Wrongf("--save keeps a change given on the command line, and there is none")
	}
	s.Items = append(Declared(syntax, encoding), s.Items...)
	return script.Format(s), nil
}

// Declared returns the declarations of the files' syntax and encoding, if they are not "".
func Declared(syntax, encoding string) (nodes []script.Node) {
	if text, ok := script.NewText(encoding, '"'); ok && encoding != "" {
		nodes = append(nodes, &script.Encoding{Head: headOf("--encoding"), Name: text})
	}
	if text, ok := script.NewText(syntax, '"'); ok && syntax != "" {
		nodes = append(nodes, &script.Syntax{Head: headOf("--syntax"), Name: text})
	}
	return nodes
}

// headOf returns the position of a node that comes from an option.
func headOf(option string) script.Head {
	return script.Head{Pos: script.Pos{Line: 1, Column: 1, Width: 1, In: &script.Source{Name: option}}}
}

// Node returns the replacement.
func (o *Change) Node() (script.Node, error) {
	if o.With == nil {
		return nil, exit.Wrongf("--%s wants --with, the text to replace it with", o.Kind)
	}
	p, err := o.pattern()
	if err != nil {
		return nil, err
	}
	n := &script.Replace{Head: headOf("--" + o.Kind), Pattern: p, KeepCase: o.KeepCase}
	if n.With, err = textOf("--with", *o.With, '"', "--with holds all three quotes, which no string can"); err != nil {
		return nil, err
	}
	if *o.With == "" {
		n.With = nil // it is removed
	}
	return o.Addressed(n)
}

// textOf parses a text as it was typed. misfit is the message if no quote fits it.
func textOf(option, raw string, prefer byte, misfit string) (*script.Text, error) {
	t, problems := script.ParseText(option, raw)
	if len(problems) > 0 {
		return nil, problems
	}
	if !t.Quoted(prefer) {
		return nil, exit.Wrongf("%s", misfit)
	}
	return t, nil
}

// pattern returns the pattern to search for.
func (o *Change) pattern() (*script.Pattern, error) {
	p := &script.Pattern{IgnoreCase: o.IgnoreCase}
	quote, misfit := byte('"'), "--"+o.Kind+` holds all three quotes, which no string can; use --regex with \x27 for '`
	switch o.Kind {
	case "word":
		p.Kind = script.WholeWord
	case "regex":
		p.Kind, quote = script.Regex, '\''
	}
	if o.Old == "" {
		return nil, exit.Wrongf("--%s is empty: say what to look for", o.Kind)
	}
	var err error
	if p.Text, err = textOf("--"+o.Kind, strings.ReplaceAll(o.Old, "\n", "{=newline}"), quote, misfit); err != nil {
		return nil, err
	}
	p.Pos = p.Text.Pos
	return p, nil
}

// Addressed puts a statement under the addresses.
func (o *Change) Addressed(n script.Node) (script.Node, error) {
	around, err := o.Addresses()
	return script.Within(around, n), err
}

// Addresses returns the addresses of the change, each within the one before.
func (o *Change) Addresses() (around []*script.Address, err error) {
	for _, w := range o.Where {
		more, err := w.addresses()
		if err != nil {
			return nil, err
		}
		around = append(around, more...)
	}
	return around, nil
}

// Statement returns the change in the rule language, on one line.
func (o *Change) Statement() (string, error) {
	n, err := o.Node()
	if err != nil {
		return "", err
	}
	return script.OneLine(n), nil
}

// WhereName is what problems call a Where without an opening word.
const WhereName = "where"

func (w Where) addresses() ([]*script.Address, error) {
	var all []*script.Address
	var problems script.Problems
	switch w.Opening {
	case "":
		all, problems = script.ParseAddresses(WhereName, w.Text)
	case "at":
		const misfit = "--at holds all three quotes, or a line break, which no path needs"
		t, err := textOf("--at", w.Text, '\'', misfit)
		if err == nil && t.Block {
			err = exit.Wrongf(misfit)
		}
		if err != nil {
			return nil, err
		}
		return []*script.Address{{Pos: t.Pos, Form: &script.Values{Path: t}}}, nil
	default:
		var a *script.Address
		a, problems = script.ParseAddress("--"+w.Opening, w.Opening, w.Text)
		all = []*script.Address{a}
	}
	if len(problems) > 0 {
		return nil, problems
	}
	return all, nil
}

// statements parses the statements.
func (o *Change) statements() (all []script.Node, err error) {
	for _, text := range o.Statements {
		nodes, problems := script.ParseStatements("--rule", text)
		if len(problems) > 0 {
			return nil, problems
		}
		all = append(all, nodes...)
	}
	return all, nil
}

// scriptOf returns a script of nodes, with the joiners; nil if there are none.
func (o *Change) scriptOf(nodes []script.Node) (*script.Script, error) {
	if o.Joiners != "" {
		if len(nodes) == 0 {
			return nil, exit.Wrongf("--joiners goes with --word or --regex; a script has its own")
		}
		joiners, err := o.joiners()
		if err != nil {
			return nil, err
		}
		nodes = append([]script.Node{joiners}, nodes...)
	}
	if len(nodes) == 0 {
		return nil, nil
	}
	return &script.Script{Source: &script.Source{Name: Name}, Items: nodes}, nil
}

func (o *Change) joiners() (script.Node, error) {
	t, ok := script.NewText(o.Joiners, '"')
	if !ok {
		return nil, exit.Wrongf("--joiners cannot hold all three quotes")
	}
	return &script.Joiners{Head: headOf("--joiners"), Text: t}, nil
}

// New returns a script for the change to be filled in: with comments, with a parameter if the new text
// looks like a value, and with an example.
func (o *Change) New(syntax string) (string, error) {
	if o.Kind == "" {
		return "", exit.Wrongf("say what to change, as in: frizzel new --word depot-3 --with depot-4")
	}
	with := ""
	if o.With != nil {
		with = *o.With
	}
	change := *o
	change.Joiners = ""
	param, about := valueLike(with)
	if param != "" {
		hole := "{=" + param + "}"
		change.With = &hole
	}
	rule, err := change.Script()
	if err != nil {
		return "", err
	}
	said := func(comments ...string) script.Head { return script.Head{Above: comments} }
	items := []script.Node{
		&script.Version{Head: said("# What this script is for, in a sentence."), Number: script.LanguageVersion},
		&script.Title{Text: script.Quoted("…")},
	}
	items = append(items, Declared(syntax, "")...)
	if param != "" {
		items = append(items, &script.Param{Head: said(""), Name: param, Default: script.Quoted(with), About: script.Quoted(about)})
	}
	files := said("", "# Which files: paths of directories count from the directory given on the command line.", `# files "conf/**" "*.ini"`, "")
	named := &script.Rule{Name: "change", About: script.Quoted("Say here what is changed, and why"), Body: rule.Items}
	if o.Joiners == "" {
		named.Head = files
	} else {
		joiners, err := o.joiners()
		if err != nil {
			return "", err
		}
		joiners.(*script.Joiners).Head = files
		items = append(items, joiners)
	}
	return script.Format(&script.Script{Items: append(items, named, o.example(with))}), nil
}

// example returns an example that passes.
func (o *Change) example(with string) *script.Example {
	block := func(raw string) *script.Text { return &script.Text{Block: true, Raw: raw} }
	n := &script.Example{Name: script.Quoted("…"), Given: block("a line")}
	n.Above = []string{"", "# Put a line in that must change, and one that must not."}
	plain := !strings.Contains(with, "{=") && !strings.ContainsAny(o.Old+with, "\n")
	if o.Kind != "regex" && plain && len(o.Where)+len(o.Statements) == 0 {
		n.Given = block("before " + strings.ReplaceAll(o.Old, "{=", "{==") + " after")
		n.Gives = block("before " + with + " after")
	}
	return n
}
