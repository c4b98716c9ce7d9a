// Package event has everything that --format json prints: one type for each event, as
// docs/events.schema.json describes it, and the Writer that prints them, one JSON object a line.
//
// One event name has one shape. Names and meanings do not change as long as Version is the same.
package event

import (
	"time"
	"unicode/utf8"
)

// Version is that of all events.
const Version = 1

// An Event is one line.
type Event interface{ name() string }

// Begin is first.
type Begin struct {
	Version int    `json:"version"`
	Command string `json:"command"`
}

// Path is a file's path as JSON has it; if it is not UTF-8, its bytes are there too.
type Path struct {
	Path      string `json:"path"`
	PathBytes []byte `json:"path_bytes,omitempty"`
}

// PathOf returns a path for an event.
func PathOf(path string) Path {
	if utf8.ValidString(path) {
		return Path{Path: path}
	}
	return Path{path, []byte(path)}
}

// NewPath is the path that a file gets; if it is not UTF-8, its bytes are there too.
type NewPath struct {
	RenamedTo string `json:"renamed_to,omitempty"`
	Bytes     []byte `json:"renamed_to_bytes,omitempty"`
}

// NewPathOf returns a new path for an event.
func NewPathOf(path string) NewPath {
	if utf8.ValidString(path) {
		return NewPath{RenamedTo: path}
	}
	return NewPath{path, []byte(path)}
}

// Match is a place that find found.
type Match struct {
	Path
	Line        int     `json:"line"`
	Column      int     `json:"column"`
	EndColumn   int     `json:"end_column"`
	Rule        string  `json:"rule,omitempty"`
	Text        string  `json:"text"`
	Value       *string `json:"value,omitempty"` // of a path, as a whole
	ValuePath   string  `json:"value_path,omitempty"`
	Place       string  `json:"place,omitempty"` // in a document
	Replacement *string `json:"replacement,omitempty"`
	Of          string  `json:"of,omitempty"` // file name, directory name or link target; "" for a content
}

// File is the event of a file that would change, or was written.
type File struct {
	Path
	NewPath
	Document bool   `json:"document,omitempty"`
	Changes  int    `json:"changes"`
	Added    int    `json:"added"`
	Removed  int    `json:"removed"`
	Diff     string `json:"diff"` // last, so that it can be streamed
}

// Link is a symbolic link that would change, or was written.
type Link struct {
	Path
	NewPath
	Target    string `json:"target"`
	NewTarget string `json:"new_target,omitempty"`
}

// Directory is a directory that would be renamed, or was.
type Directory struct {
	Path
	NewPath
}

// Skip is a file that was left out.
type Skip struct {
	Path
	Reason string `json:"reason"`
}

// Unchanged is a place in a document that a rule matches and nothing changes, or that is not looked into.
type Unchanged struct {
	Path
	Line   int    `json:"line,omitempty"` // of its text, if that shows it
	Place  string `json:"place"`
	Rule   string `json:"rule,omitempty"`
	Text   string `json:"text"`
	Reason string `json:"reason"`
}

// Statement is what a statement of a script does, in a sentence.
type Statement struct {
	Rule      string `json:"rule"`
	Statement string `json:"statement"` // in the rule language
	Sentence  string `json:"sentence"`
}

// Step is what a statement does to a line.
type Step struct {
	Path
	Of        string `json:"of,omitempty"` // file name, directory name or link target; "" for a content
	Line      int    `json:"line"`         // of the file as it is; 0 for a name
	Rule      string `json:"rule"`
	Statement string `json:"statement"`
	Before    string `json:"before"`
	After     string `json:"after"`
}

// Selected are the lines that the addresses of a statement select.
type Selected struct {
	Path
	Statement string `json:"statement"`
	Lines     string `json:"lines"`
}

// Why is why a statement changes nothing.
type Why struct {
	Path
	Line      int    `json:"line,omitempty"` // of what nearly matched
	Rule      string `json:"rule"`
	Statement string `json:"statement"`
	Reason    string `json:"reason"`
}

// Problem is why nothing may be written.
type Problem struct {
	Reason string `json:"reason"`
}

// Summary is last of find, preview and apply.
type Summary struct {
	Host         string `json:"host"`
	FilesRead    int    `json:"files_read"`
	FilesChanged int    `json:"files_changed"`
	FilesSkipped int    `json:"files_skipped"`
	Changes      int    `json:"changes"`
	Run          string `json:"run,omitempty"` // that was written
}

// ScriptProblem is an error or a warning about a script.
type ScriptProblem struct {
	Path     string `json:"path"`
	Line     int    `json:"line"`
	Column   int    `json:"column"`
	Width    int    `json:"width"`
	Severity string `json:"severity"`
	Reason   string `json:"reason"`
	Remedy   string `json:"remedy,omitempty"`
}

// Example is an example that check ran.
type Example struct {
	Path   string `json:"path"`
	Line   int    `json:"line"`
	Name   string `json:"name,omitempty"`
	Passed bool   `json:"passed"`
	Diff   string `json:"diff,omitempty"`
}

// Checked is last of check.
type Checked struct {
	Scripts  int `json:"scripts"`
	Errors   int `json:"errors"`
	Warnings int `json:"warnings"`
	Passed   int `json:"examples_passed"`
	Failed   int `json:"examples_failed"`
}

// A State is the state of a run.
type State string

// The states.
const (
	BeingWritten State = "being_written"
	CutOff       State = "cut_off"         // it will be put back
	Done         State = "done"            // all files are written
	Held         State = "held"            // the same, until Run.HeldUntil unless it is kept
	PutBack      State = "put_back"        // it failed, and all files have their old content
	PutBackPart  State = "put_back_part"   // it failed, and the files in Run.Left keep their new content
	TakenBack    State = "taken_back"      // undone
	TakenPart    State = "taken_back_part" // undone in part: Run.FilesTakenBack of its files
)

// Run is a run of the history.
type Run struct {
	Run            string     `json:"run"`
	Number         int        `json:"number"`
	Time           time.Time  `json:"time"`
	User           string     `json:"user"`
	Host           string     `json:"host"`
	Kind           string     `json:"kind"`
	Undoes         string     `json:"undoes,omitempty"`
	State          State      `json:"state"`
	HeldUntil      *time.Time `json:"held_until,omitempty"` // UTC
	FilesTakenBack int        `json:"files_taken_back,omitempty"`
	Files          int        `json:"files"`
	Changes        int        `json:"changes"`
	Bytes          int64      `json:"bytes"`
	Rules          []string   `json:"rules"`
	Note           string     `json:"note,omitempty"`
	Paths          []string   `json:"paths"`
	Left           []Left     `json:"left,omitempty"`
}

// Left is a file that a run left alone.
type Left struct {
	Path    string `json:"path"`
	Reason  string `json:"reason"`
	OldCopy string `json:"old_copy,omitempty"` // the path of its old content
}

// Damaged is a run whose record cannot be read.
type Damaged struct {
	Run    string `json:"run"`
	Reason string `json:"reason"`
}

// History is last of history.
type History struct {
	Host  string `json:"host"`
	Runs  int    `json:"runs"`
	Bytes int64  `json:"bytes"`
}

// HostChange is a change of a file that is the same on several hosts.
type HostChange struct {
	Hosts []string `json:"hosts"`
	Path
	NewPath
	Changes int    `json:"changes"`
	Diff    string `json:"diff"` // with {=name} for values that differ between the hosts
}

// Host is where a host of a run is, or in a preview that it changes, refuses or gives no answer.
type Host struct {
	Host      string     `json:"host"`
	State     string     `json:"state"`
	Files     int        `json:"files"`
	Run       string     `json:"run,omitempty"`        // number of the run there
	HeldUntil *time.Time `json:"held_until,omitempty"` // UTC
	Reason    string     `json:"reason,omitempty"`
}

// Fleet is last of commands over many hosts.
type Fleet struct {
	Hosts   int    `json:"hosts"`
	Change  int    `json:"hosts_changing"`
	Written int    `json:"hosts_written"`
	Run     string `json:"run,omitempty"` // such as f17
}

func (Begin) name() string         { return "begin" }
func (Match) name() string         { return "match" }
func (File) name() string          { return "file" }
func (Link) name() string          { return "link" }
func (Directory) name() string     { return "directory" }
func (Statement) name() string     { return "statement" }
func (Step) name() string          { return "step" }
func (Selected) name() string      { return "selected" }
func (Why) name() string           { return "why" }
func (Skip) name() string          { return "skip" }
func (Unchanged) name() string     { return "unchanged" }
func (Summary) name() string       { return "summary" }
func (Problem) name() string       { return "problem" }
func (ScriptProblem) name() string { return "script_problem" }
func (Example) name() string       { return "example" }
func (Checked) name() string       { return "checked" }
func (Run) name() string           { return "run" }
func (Damaged) name() string       { return "damaged" }
func (History) name() string       { return "history" }
func (HostChange) name() string    { return "host_change" }
func (Host) name() string          { return "host" }
func (Fleet) name() string         { return "fleet" }
