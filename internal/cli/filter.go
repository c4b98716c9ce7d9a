package cli

import (
	"fmt"

	"github.com/spf13/cobra"

	"frizzel/internal/usecase"
)

const filterLong = `Run rules over standard input, and write what they make of it to standard output.

What can be decided line by line comes out as it comes in, so that a filter can stand
behind a log that is still being written. What needs the whole text, such as moves or
sections, comes out at its end.

--as says what file it would be: for the rules' own "files", for sections, which are
headings in a .md file, and for {=file}. Without it all rules apply.`

const filterExample = `  # try a rule on one line
  echo "ntp depot-3" | frizzel filter --word depot-3 --with depot-4

  frizzel filter -r move-depot.friz --as conf/clock.ini < clock.ini

  # behind a log, only what the rule is about
  journal | frizzel filter --regex 'token=\S+' --with 'token=***' --only-changed`

func (a *app) filter() *cobra.Command {
	var rules ruleFlags
	o := usecase.FilterOptions{In: a.In, Out: a.Out}
	c := &cobra.Command{
		Use:     "filter [-r SCRIPT]...",
		Short:   "Standard input to standard output",
		Long:    filterLong,
		Example: filterExample,
		Args:    noPaths,
		RunE: func(c *cobra.Command, _ []string) error {
			var err error
			if o.Rules, err = a.compile(c, &rules); err != nil {
				return err
			}
			o.Note = func(line int, text string) {
				where := ""
				if line > 0 {
					where = fmt.Sprintf("line %d: ", line)
				}
				fmt.Fprintf(a.Err, "note: %s%s\n", where, text)
			}
			return usecase.Filter(c.Context(), o)
		},
	}
	rules.add(c)
	rules.addAllow(c)
	c.Flags().StringVar(&o.As, "as", "", "the `path` of the file that it would be")
	c.Flags().StringVar(&o.Encoding, "encoding", "", "the `name` of the input's encoding")
	c.Flags().BoolVar(&o.OnlyChanged, "only-changed", false, "print only lines that changed")
	return c
}
