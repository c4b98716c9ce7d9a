package program

import (
	"frizzel/core/edit"
)

// A Result is the result of a program for one text.
type Result struct {
	Edits edit.List // against Input.Text
	// Changes are the numbers of changes, indexed by rule.
	Changes []int
	// Found are the numbers of matches, or of spans of a statement without a pattern, indexed by statement.
	Found []int
	// Encoding is the encoding to write the text in, or "" for the one it was read in. EncodedBy is the
	// index of the rule that sets it.
	Encoding  string
	EncodedBy int
	// Notes are remarks for the user.
	Notes []Note
	// Unreadable are the lines of brackets, tags and ranges that an address needs and that are never
	// closed. The text must not be written. If the program allows it, they are in Notes instead.
	Unreadable []Note
	// Broken notes that the text parsed in its file's syntax before, but not after the changes.
	Broken []Note
	// Failures are values that a filter does not accept. The text must not be written.
	Failures []Note
	// Matched is the number of matches that Find and Matches came upon. Exceeded says that they, or the changes, need more
	// memory than one text may take; the last of Failures tells.
	Matched  int
	Exceeded bool
	// Counters are Input.Before with this text's changes added.
	Counters Counters

	program   *Program
	asserted  []int  // numbers of matches, indexed by assertion
	asked     []bool // indexed by rule: whether it is for the file, and its conditions held
	addressed []selected
	foreign   []bool // indexed by address: whether the text has another syntax family than its path
	hits      map[*Table]map[int]bool
	once      []once
	bonds     []bond
	known     int  // offset up to which the outline cannot change with the next window
	ended     bool // the last line must have an ending
}

// A selected says whether an address selected anything in a text.
type selected byte

const (
	notAsked selected = iota
	selectedNothing
	selectedSome
)

// A Note is a remark about a rule (an index, or -1) and a 1-based line (or 0).
type Note struct {
	Rule int
	Line int
	Text string
	// Unchanged are the places in a document that the note is about; nil for other notes. It is a pointer because notes are
	// compared.
	Unchanged *[]Unchanged
}

// An Unchanged is a place in a document where something matches that is not changed.
type Unchanged struct {
	Line   int    // 1-based, of the text; 0 if the text does not show it
	Place  string // in the document's terms, or ""
	Text   string // what stands there
	Reason string // why it is not changed
}
