package compile

import (
	"maps"
	"slices"
	"strings"

	"frizzel/core/program"
	"frizzel/core/script"
)

// Form compiles a text that is filled in without a match or a rule, only with values and the name of the new
// file. used are the names of the values that it refers to.
func Form(name string, t *script.Text, source string, o Options) (form *program.Template, used []string, problems script.Problems) {
	c := newCompiler(o)
	c.source = &script.Source{Name: name, Text: source}
	maps.Copy(c.values, o.Values)
	c.undeclared = func(string) string {
		return named(o.Values) + "give it with --param; {== stands for the two characters {="
	}
	form = c.template(t, nil)
	return form, slices.Sorted(maps.Keys(c.used)), c.problems
}

// named lists the names of all values, for the message about an unknown one.
func named(values map[string]string) string {
	const most = 8
	names := slices.Sorted(maps.Keys(values))
	if len(names) == 0 {
		return ""
	}
	if len(names) > most {
		names = append(names[:most], "…")
	}
	return "the values are " + strings.Join(names, ", ") + "; "
}
