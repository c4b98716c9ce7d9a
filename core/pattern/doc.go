// Package pattern finds matches of texts, whole words and regular expressions, with guards on what
// precedes and follows them.
//
// The central type is [Pattern], compiled from a [Spec]. It searches whole lines of a text, and no
// match ends between the two bytes of a Windows line ending. Before it looks at a line, a pattern
// tries the cheapest test that can rule the line out: a literal is searched for directly, and a
// regular expression only runs on lines with the literal that it requires.
//
// There is one matcher, [Pattern.Find]: replacements, searches, assertions and the marks of ranges
// find the same.
package pattern
