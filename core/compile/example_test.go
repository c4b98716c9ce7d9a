package compile_test

import (
	"fmt"

	"frizzel/core/compile"
	"frizzel/core/diff"
	"frizzel/core/program"
	"frizzel/core/script"
)

// A script is parsed, compiled and run on a text; the edits make the new text, and the
// diff that shows them.
func Example() {
	source := `rule host {
    replace word "depot-3" with "depot-4"
}`
	s, problems := script.Parse("move-depot.friz", source)
	p, more := compile.Scripts([]*script.Script{s}, compile.Options{})
	if problems = append(problems, more...); len(problems.Errors()) > 0 {
		fmt.Println(problems)
		return
	}
	text := []byte("[clock]\nserver = depot-3\nspare = depot-30\n")
	result := p.Run(program.Input{Text: text, File: program.File{Path: "conf/clock.ini", Rel: "clock.ini"}})
	fmt.Printf("%s\n", result.Edits.Apply(text))
	fmt.Printf("%s", diff.Unified(nil, "conf/clock.ini", diff.Hunks(text, result.Edits, 1), func(h diff.Hunk) string {
		return p.Rules[h.Rules[0]].Label
	}))
	// Output:
	// [clock]
	// server = depot-4
	// spare = depot-30
	//
	// --- a/conf/clock.ini
	// +++ b/conf/clock.ini
	// @@ -1,3 +1,3 @@ host
	//  [clock]
	// -server = depot-3
	// +server = depot-4
	//  spare = depot-30
}

// A pattern that stands alone finds its places in a text.
func ExamplePattern() {
	p, problems := compile.Pattern("search", `word "depot-3" not preceded by text "old "`)
	if len(problems) > 0 {
		fmt.Println(problems)
		return
	}
	text := []byte("depot-3, old depot-3, depot-30\n")
	p.Find(text, 0, len(text), func(loc []int) bool {
		fmt.Printf("%d to %d: %s\n", loc[0], loc[1], text[loc[0]:loc[1]])
		return true
	})
	// Output:
	// 0 to 7: depot-3
}

// A problem says where, what, and what to do about it.
func ExampleScripts_problems() {
	s, problems := script.Parse("draft.friz", `replace word "depot-3" with "{=gateway}"`)
	_, more := compile.Scripts([]*script.Script{s}, compile.Options{})
	fmt.Println(append(problems, more...))
	// Output:
	// draft.friz:1:30: error: {=gateway} names nothing
	// replace word "depot-3" with "{=gateway}"
	//                              ^~~~~~~~~~ declare it with param gateway, or write {== if the two characters {= are meant
}
