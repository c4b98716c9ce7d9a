package usecase

import (
	"slices"
	"strings"

	"frizzel/core/script"
	"frizzel/internal/exit"
)

// OneOff is a change without a script file, given on the command line.
type OneOff struct {
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
func (o *OneOff) Paths() bool {
	return len(o.Where) > 0 && !slices.ContainsFunc(o.Where, func(w Where) bool { return w.Opening != "at" })
}

// OneOffName is the name of the script that a one-off change amounts to.
const OneOffName = "command line"

// Script returns the change as a script, nil if there is none. The error is a wrong command line or
// script.Problems, whose sources are the options.
func (o *OneOff) Script() (*script.Script, error) {
	var nodes []script.Node
	if o.Kind != "" {
		change, err := o.change()
		if err != nil {
			return nil, err
		}
		nodes = append(nodes, change)
		if nodes, err = o.alsoNames(nodes, o.change); err != nil {
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
func (o *OneOff) alsoNames(nodes []script.Node, statement func() (script.Node, error)) ([]script.Node, error) {
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
func (o *OneOff) Search() (*script.Script, error) {
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

func (o *OneOff) search() (script.Node, error) {
	n := &script.Assert{Head: headOf("find"), Forbid: true}
	if o.Kind != "" {
		var err error
		if n.Pattern, err = o.pattern(); err != nil {
			return nil, err
		}
		n.Pattern.IgnoreCase = n.Pattern.IgnoreCase || o.KeepCase
	}
	return o.addressed(n)
}

// Saved returns the change as a script file, which declares the files' syntax and encoding, if they are not "". The error is
// that of Script, or that there is no change.
func (o *OneOff) Saved(syntax, encoding string) (string, error) {
	s, err := o.Script()
	if err != nil {
		return "", err
	}
	if s == nil {
		return "", exit.Wrongf("--save keeps a change given on the command line, and there is none")
	}
	s.Items = append(declared(syntax, encoding), s.Items...)
	return script.Format(s), nil
}

// declared returns the declarations of the files' syntax and encoding, if they are not "".
func declared(syntax, encoding string) (nodes []script.Node) {
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

// change returns the replacement.
func (o *OneOff) change() (script.Node, error) {
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
	return o.addressed(n)
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
func (o *OneOff) pattern() (*script.Pattern, error) {
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

// addressed puts a statement under the addresses.
func (o *OneOff) addressed(n script.Node) (script.Node, error) {
	around, err := o.Addresses()
	return script.Within(around, n), err
}

// Addresses returns the addresses of the change, each within the one before.
func (o *OneOff) Addresses() (around []*script.Address, err error) {
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
func (o *OneOff) Statement() (string, error) {
	n, err := o.change()
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
func (o *OneOff) statements() (all []script.Node, err error) {
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
func (o *OneOff) scriptOf(nodes []script.Node) (*script.Script, error) {
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
	return &script.Script{Source: &script.Source{Name: OneOffName}, Items: nodes}, nil
}

func (o *OneOff) joiners() (script.Node, error) {
	t, ok := script.NewText(o.Joiners, '"')
	if !ok {
		return nil, exit.Wrongf("--joiners cannot hold all three quotes")
	}
	return &script.Joiners{Head: headOf("--joiners"), Text: t}, nil
}

// New returns a script for the change to be filled in: with comments, with a parameter if the new text
// looks like a value, and with an example.
func (o *OneOff) New(syntax string) (string, error) {
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
		&script.Title{Text: plainText("…")},
	}
	items = append(items, declared(syntax, "")...)
	if param != "" {
		items = append(items, &script.Param{Head: said(""), Name: param, Default: plainText(with), About: plainText(about)})
	}
	files := said("", "# Which files: paths of directories count from the directory given on the command line.", `# files "conf/**" "*.ini"`, "")
	named := &script.Rule{Name: "change", About: plainText("Say here what is changed, and why"), Body: rule.Items}
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

// plainText returns a literal text.
func plainText(s string) *script.Text {
	t, _ := script.NewText(s, '"')
	return t
}

// example returns an example that passes.
func (o *OneOff) example(with string) *script.Example {
	block := func(raw string) *script.Text { return &script.Text{Block: true, Raw: raw} }
	n := &script.Example{Name: plainText("…"), Given: block("a line")}
	n.Above = []string{"", "# Put a line in that must change, and one that must not."}
	plain := !strings.Contains(with, "{=") && !strings.ContainsAny(o.Old+with, "\n")
	if o.Kind != "regex" && plain && len(o.Where)+len(o.Statements) == 0 {
		n.Given = block("before " + strings.ReplaceAll(o.Old, "{=", "{==") + " after")
		n.Gives = block("before " + with + " after")
	}
	return n
}
