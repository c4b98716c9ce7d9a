// Package automaton finds matches of regular expressions in time proportional to the text, with one
// table lookup for each byte.
//
// The central type is [Machine], a deterministic automaton whose states are built when a text first
// leads to them, in a cache of bounded size. A state is the list of positions in the expression that
// the text so far may have led to, the preferred ones first, as in Perl and the package regexp;
// positions after one that matched are cut off. Empty-width assertions such as ^ and \b are decided
// when the next character is known, so a match is reported one character late.
//
// Characters that no part of an expression distinguishes form one class, a column of the table. The
// class of an ASCII character is looked up by its byte; others are decoded, invalid bytes as U+FFFD,
// as the package regexp does.
//
// The construction is that of K. Thompson, "Regular Expression Search Algorithm", CACM 11(6),
// 1968, made deterministic on demand, with the ordered states and the late assertions of R. Cox,
// "Regular Expression Matching in the Wild", 2010. The package regexp takes linear
// time as well, but follows all positions for every character.
package automaton
