// Package program runs rules over one text at a time.
//
// The central type is [Program], the output of package compile: compiled statements, addresses and
// texts that do not refer to any script. [Program.Run] applies all rules in order, each to the text
// that the ones before it produced, and returns one list of edits against the original text. Counts
// over many texts are gathered in a [Tally].
//
// Running a Program does not change it, so goroutines may share it.
package program
