// Package program compiles a rule script and runs it over one text at a time.
//
// The central type is [Program]. [Compile] resolves a script's names, fills in its
// parameters, compiles its patterns and pulls in the scripts and tables it uses;
// [Program.Run] takes a text through all rules, top to bottom, each on the text as
// the ones before left it, and returns one list of edits against the text as it
// was. What is counted over many texts is gathered in a [Tally].
//
// A Program is never changed by running it, so that many goroutines may share it.
package program
