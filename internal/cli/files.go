package cli

import (
	"fmt"

	"github.com/spf13/cobra"

	"frizzel/core/program"
	"frizzel/core/textfile"
	"frizzel/internal/report"
	"frizzel/internal/run"
	"frizzel/internal/selection"
)

// fileFlags say which files are to be read.
type fileFlags struct {
	in, out  []string
	encoding string
	verbose  bool
}

func (f *fileFlags) add(c *cobra.Command) {
	fl := c.Flags()
	fl.StringArrayVar(&f.in, "files", nil, "only files that match this `glob`, such as '*.conf'; may be repeated")
	fl.StringArrayVar(&f.out, "not-files", nil, "no files that match this `glob`; may be repeated")
	fl.StringVar(&f.encoding, "encoding", "", "the `name` of the files' encoding, such as iso-8859-1")
	fl.BoolVarP(&f.verbose, "verbose", "v", false, "name the files that are left out")
}

// plan checks the paths and joins them with the rules.
func (f *fileFlags) plan(p *program.Program, paths []string) (*run.Plan, error) {
	for _, g := range append(append([]string{}, f.in...), f.out...) {
		if !program.ValidGlob(g) {
			return nil, wrong("%q is no well-formed glob", g)
		}
	}
	if f.encoding != "" {
		if _, err := textfile.EncodingNamed(f.encoding); err != nil {
			return nil, wrong("%w", err)
		}
	}
	plan := &run.Plan{
		Program:   p,
		Selection: selection.Selection{Paths: paths, In: f.in, Out: f.out},
		Encoding:  f.encoding,
	}
	return plan, plan.Selection.Check()
}

// refusals are why files must not be written, as a run comes upon them.
type refusals []string

func (r *refusals) add(res *run.Result) {
	*r = append(*r, fmt.Sprintf("%s: %v", report.Path(res.File.Path), res.Refuse))
}
