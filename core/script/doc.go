// Package script is the rule language: its tokens, its syntax tree, its parser
// and its printer.
//
// The central type is [Script], the tree of one script file. [Parse] makes it
// from source text and never stops at the first mistake: every [Problem] comes
// back with its place, its reason and, where one is likely, its remedy. [Format]
// lays a tree out the standard way, comments kept; parsing what it printed gives
// the same tree.
//
// The package knows what a script says, not what it does: names are resolved and
// patterns compiled by package program.
package script
