package usecase

import (
	"fmt"
	"strings"

	"frizzel/core/script"
)

// OneOff is a change without a script of its own, as it is given on the command line.
type OneOff struct {
	Kind       string // text, word or regex; "" where only Statements are given
	Old        string
	With       *string // nil where it is only looked for
	IgnoreCase bool
	KeepCase   bool
	At         []string // paths, each within the one before
	On, In     []string // addresses, each within the one before, and within the paths
	Joiners    string
	Statements []string // of the rule language
}

// WholeValue is the statement that stands in a script for a search of values as a whole.
const WholeValue = ` forbid text "value"`

// Script writes the script that the change stands for, "" where there is none.
func (o *OneOff) Script() (string, error) {
	if o.Kind == "" {
		return o.joined(o.Statements)
	}
	if o.With == nil {
		return "", wrong("--%s wants --with, the text to replace it with", o.Kind)
	}
	p, err := o.pattern()
	if err != nil {
		return "", err
	}
	if err := o.addresses(); err != nil {
		return "", err
	}
	n := &script.Replace{Pattern: p, KeepCase: o.KeepCase}
	var ok bool
	if n.With, ok = script.RawText(*o.With, '"'); !ok {
		return "", wrong("--with holds all three quotes, which no string can")
	}
	change, err := o.addressed(n)
	if err != nil {
		return "", err
	}
	return o.joined(append([]string{change}, o.Statements...))
}

// Search writes the script that looks for the pattern.
func (o *OneOff) Search() (string, error) {
	if o.Kind == "" { // each value of the paths, whatever the pattern
		n := &script.Assert{Forbid: true, Pattern: &script.Pattern{Text: &script.Text{Quote: '"', Raw: "value"}}}
		at, err := o.addressed(n)
		if err != nil {
			return "", err
		}
		return o.joined([]string{at})
	}
	p, err := o.pattern()
	if err != nil {
		return "", err
	}
	if err := o.addresses(); err != nil {
		return "", err
	}
	p.IgnoreCase = p.IgnoreCase || o.KeepCase
	found, err := o.addressed(&script.Assert{Forbid: true, Pattern: p})
	if err != nil {
		return "", err
	}
	return o.joined([]string{found})
}

// Saved lays out the script that the change stands for, to be kept.
func (o *OneOff) Saved() (string, error) {
	text, err := o.Script()
	if err != nil {
		return "", err
	}
	if text == "" {
		return "", wrong("--save keeps a change given on the command line, and there is none")
	}
	s, problems := script.Parse(OneOffName, text)
	if len(problems) > 0 {
		return "", problems
	}
	return script.Format(s), nil
}

// joined joins statements to a script, with the joiners.
func (o *OneOff) joined(statements []string) (string, error) {
	if o.Joiners == "" {
		return strings.Join(statements, "\n"), nil
	}
	if len(statements) == 0 {
		return "", wrong("--joiners goes with --word or --regex; a script has its own")
	}
	t, ok := script.NewText(o.Joiners, '"')
	if !ok {
		return "", wrong("--joiners cannot hold all three quotes")
	}
	joiners := script.Format(&script.Script{Items: []script.Node{&script.Joiners{Text: t}}})
	return joiners + strings.Join(statements, "\n"), nil
}

// pattern returns what is looked for.
func (o *OneOff) pattern() (*script.Pattern, error) {
	p := &script.Pattern{IgnoreCase: o.IgnoreCase}
	quote := byte('"')
	switch o.Kind {
	case "word":
		p.Kind = script.WholeWord
	case "regex":
		p.Kind, quote = script.Regex, '\''
	}
	if o.Old == "" {
		return nil, wrong("--%s is empty: say what to look for", o.Kind)
	}
	var ok bool
	if p.Text, ok = script.RawText(strings.ReplaceAll(o.Old, "\n", "{=newline}"), quote); !ok {
		return nil, wrong(`--%s holds all three quotes, which no string can; use --regex with \x27 for '`, o.Kind)
	}
	return p, nil
}

// addresses returns what is wrong with an address, each of which must be whole by itself.
func (o *OneOff) addresses() error {
	for _, on := range o.On {
		if problems := script.CheckAddress("--on", "on", on); len(problems) > 0 {
			return problems
		}
	}
	for _, in := range o.In {
		if problems := script.CheckAddress("--in", "in", in); len(problems) > 0 {
			return problems
		}
	}
	return nil
}

// addressed writes a statement behind the addresses.
func (o *OneOff) addressed(n script.Node) (string, error) {
	var words []string
	for _, at := range o.At {
		t, ok := script.RawText(at, '\'')
		if !ok || t.Block {
			return "", wrong("--at holds all three quotes, or a line break, which no path needs")
		}
		words = append(words, "at "+string(t.Quote)+t.Raw+string(t.Quote))
	}
	for _, on := range o.On {
		words = append(words, "on "+on)
	}
	for _, in := range o.In {
		words = append(words, "in "+in)
	}
	text := script.Format(&script.Script{Items: []script.Node{n}})
	return strings.Join(append(words, strings.TrimSuffix(text, "\n")), " "), nil
}

// New writes a script for the change to be filled in: with comments, with a parameter where
// the new text looks like a value, and with an example.
func (o *OneOff) New() (string, error) {
	if o.Kind == "" {
		return "", wrong("say what to change, as in: frizzel new --word depot-3 --with depot-4")
	}
	with := ""
	if o.With != nil {
		with = *o.With
	}
	change := *o
	param, what := valueLike(with)
	if param != "" {
		hole := "{=" + param + "}"
		change.With = &hole
	}
	joiners := change.Joiners
	change.Joiners = ""
	rule, err := change.Script()
	if err != nil {
		return "", err
	}
	var b strings.Builder
	fmt.Fprintf(&b, "# What this script is for, in a sentence.\nfrizzel %d\ntitle \"…\"\n\n", script.LanguageVersion)
	if param != "" {
		t, _ := script.NewText(with, '"')
		fmt.Fprintf(&b, "param %s = %c%s%c about \"%s\"\n\n", param, t.Quote, t.Raw, t.Quote, what)
	}
	b.WriteString("# Which files: paths of folders count from the folder given on the command line.\n# files \"conf/**\" \"*.ini\"\n\n")
	if joiners != "" {
		text, err := (&OneOff{Joiners: joiners, Statements: []string{""}}).Script()
		if err != nil {
			return "", err
		}
		b.WriteString(text + "\n")
	}
	fmt.Fprintf(&b, "rule change \"Say here what is changed, and why\" {\n%s\n}\n\n", strings.TrimSpace(rule))
	b.WriteString("# Put a line in that must change, and one that must not.\n")
	b.WriteString(o.example(with))
	s, problems := script.Parse("new script", b.String())
	if len(problems) > 0 {
		return "", problems
	}
	return script.Format(s), nil
}

// example writes an example that holds as it stands.
func (o *OneOff) example(with string) string {
	plain := !strings.Contains(with, "{=") && !strings.ContainsAny(o.Old+with, "\n")
	if o.Kind == "regex" || !plain || len(o.At)+len(o.On)+len(o.In)+len(o.Statements) > 0 {
		return "example \"…\" {\n    given\n        | a line\n    gives the same\n}\n"
	}
	return fmt.Sprintf("example \"…\" {\n    given\n        | before %s after\n    gives\n        | before %s after\n}\n",
		strings.ReplaceAll(o.Old, "{=", "{=="), with)
}
