// Package script is the rule language: its table of forms, its tokens, its syntax tree, its parser and
// its printer.
//
// Each statement, address, option, filter, placeholder and declaration is a row of a table (table.go):
// its words, how it is parsed and printed, a line of help and an example. The parser, the printer,
// [Complete] and [Reference] read that table.
//
// The central type is [Script], the tree of one script file. [Parse] builds it and continues after a
// mistake: each [Problem] has its place, its reason and, if there is one, its remedy. [Format] prints a
// tree in the standard layout with its comments; parsing the result gives the same tree.
//
// The package does not resolve names or compile patterns; package compile does.
package script

// Suffix ends the names of scripts.
const Suffix = ".friz"
