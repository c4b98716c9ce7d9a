// Package program is the machine: rules that run over one text at a time.
//
// The central type is [Program], what package compile makes of scripts: statements,
// addresses and texts, compiled, that know nothing of how they were written.
// [Program.Run] takes a text through all rules, top to bottom, each on the text as
// the ones before left it, and returns one list of edits against the text as it
// was. What is counted over many texts is gathered in a [Tally].
//
// A Program is never changed by running it, so that many goroutines may share it.
package program
