// Package pattern says what matches: characters as they stand, whole words,
// regular expressions, and what may or may not touch them.
//
// The central type is [Pattern], compiled from a [Spec]. It finds matches in
// whole lines of a text, and never lets one end between the two bytes of a
// Windows line ending. Before a line is looked at, the pattern asks the cheapest
// question that can rule it out: a literal is searched for directly, and a regular
// expression runs only on lines that hold the literal it requires.
//
// There is one matcher: [Pattern.Find]. What a replacement, a search, an assertion and
// the mark of a range find is the same everywhere.
package pattern
