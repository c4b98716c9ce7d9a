package cli

import (
	"fmt"
	"io"

	"github.com/spf13/cobra"

	"frizzel/core/program"
	"frizzel/core/textfile"
)

const filterLong = `Run rules over standard input, and write what they make of it to standard output.

--as says what file it would be: for the rules' own "files", for sections, which are
headings in a .md file, and for {=file}. Without it all rules apply.`

const filterExample = `  # try a rule on one line
  echo "ntp depot-3" | frizzel filter --word depot-3 --with depot-4

  frizzel filter -r move-depot.friz --as conf/clock.ini < clock.ini`

func (a *app) filter() *cobra.Command {
	var rules ruleFlags
	var as, encoding string
	c := &cobra.Command{
		Use:     "filter [-r SCRIPT]...",
		Short:   "Standard input to standard output",
		Long:    filterLong,
		Example: filterExample,
		Args:    cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			p, err := a.compile(c, &rules)
			if err != nil {
				return err
			}
			raw, err := io.ReadAll(a.In)
			if err != nil {
				return err
			}
			f := program.File{Path: as, Rel: as}
			if as == "" {
				f.Path = "standard input"
			}
			fresh, err := a.filtered(p, f, raw, encoding)
			if err != nil {
				return err
			}
			_, err = a.Out.Write(fresh)
			return err
		},
	}
	rules.add(c)
	c.Flags().StringVar(&as, "as", "", "the `path` of the file that it would be")
	c.Flags().StringVar(&encoding, "encoding", "", "the `name` of the input's encoding")
	return c
}

// filtered returns what the program makes of raw.
func (a *app) filtered(p *program.Program, f program.File, raw []byte, encoding string) ([]byte, error) {
	if encoding == "" {
		encoding = p.Encoding(f)
	}
	text, err := textfile.Decode(raw, encoding)
	if err != nil {
		return nil, wrong("standard input: %w", err)
	}
	made := p.Run(program.Input{Text: text.Text, File: f})
	tally := p.NewTally()
	tally.Add(f.Path, f, made)
	refuses := tally.Unmet()
	for _, n := range made.Failures {
		refuses = append(refuses, fmt.Sprintf("line %d: %s", n.Line, n.Text))
	}
	for _, n := range made.Notes {
		fmt.Fprintf(a.Err, "note: line %d: %s\n", n.Line, n.Text)
	}
	if len(refuses) > 0 {
		return nil, refuse(a.Err, refuses)
	}
	edits, err := text.Encode(made.Edits, made.Encoding)
	if err != nil {
		return nil, refused(fmt.Errorf("standard input: %w", err))
	}
	return edits.Apply(raw), nil
}
