// Package automaton finds matches of regular expressions in time that grows with the text alone,
// a table lookup for a byte.
//
// The central type is [Machine]: a deterministic automaton that is built state by state as texts
// lead to them, in a cache of bounded size. A state is the list of places in the expression that
// the text so far may have led to, the preferred ones first, as Perl and the package regexp have
// it; what follows a place that matched is cut off. Places such as ^ and \b are asked once the
// next character is known, so that a match shows one character late.
//
// Characters that no part of an expression distinguishes are one class, a column of the table. An
// ASCII character's class is looked up by its byte; others are decoded, invalid bytes as U+FFFD,
// as the package regexp has it.
//
// The construction is that of K. Thompson, "Regular Expression Search Algorithm", CACM 11(6),
// 1968, made deterministic as it goes, with the ordered states and the late look at what follows
// of R. Cox, "Regular Expression Matching in the Wild", 2010.
package automaton
