// Package syntax is the one table of the syntaxes of files, and of the file names that imply them.
package syntax

import (
	"path"
	"strconv"
	"strings"
)

// A Syntax is a way of writing texts that some package reads.
type Syntax uint8

const (
	None  Syntax = iota // read as any configuration file
	JSON                // RFC 8259; comments and trailing commas are read as well
	JSONC               // JSON in which a change may bring them in
	YAML
	TOML
	XML
	CSV     // RFC 4180, with a header; the separator is the most frequent candidate
	BareCSV // without a header
	HTML
	CSS
	StyleSheet // what is compiled to CSS, and knows // comments
	Markdown   // CommonMark
	ReST       // reStructuredText
	AsciiDoc
)

// table lists each syntax: what messages call it, the name that a script gives it ("" if a script
// cannot), whether a text that parses must still parse after a change, and the suffixes of its files.
var table = [...]struct {
	shown, name string
	judged      bool
	suffixes    []string
}{
	None:       {},
	JSON:       {"JSON", "json", true, []string{".json"}},
	JSONC:      {"JSON", "json with comments", true, []string{".jsonc"}},
	YAML:       {"YAML", "yaml", true, []string{".yaml", ".yml"}},
	TOML:       {"TOML", "toml", true, []string{".toml"}},
	XML:        {"XML", "xml", true, []string{".xml", ".svg", ".xsd", ".xsl", ".xslt", ".plist", ".pom", ".xhtml", ".rng", ".wsdl"}},
	CSV:        {"CSV", "csv", true, []string{".csv", ".tsv"}},
	BareCSV:    {"CSV", "csv without header", true, nil},
	HTML:       {"HTML", "", false, []string{".html", ".htm"}},
	CSS:        {"CSS", "", false, []string{".css"}},
	StyleSheet: {"style sheet", "", false, []string{".scss", ".sass", ".less"}},
	Markdown:   {"Markdown", "", false, []string{".md", ".markdown"}},
	ReST:       {"reStructuredText", "", false, []string{".rst"}},
	AsciiDoc:   {"AsciiDoc", "", false, []string{".adoc", ".asciidoc"}},
}

var bySuffix, byName = func() (map[string]Syntax, map[string]Syntax) {
	suffixes, names := map[string]Syntax{}, map[string]Syntax{}
	for s, row := range table {
		for _, suffix := range row.suffixes {
			suffixes[suffix] = Syntax(s)
		}
		if row.name != "" {
			names[row.name] = Syntax(s)
		}
	}
	return suffixes, names
}()

// String returns what messages call the syntax.
func (s Syntax) String() string { return table[s].shown }

// Name returns the name that Named knows the syntax by, "" if it has none.
func (s Syntax) Name() string { return table[s].name }

// Of returns the syntax of a file by the suffix of its name, in any case; None if the suffix is not
// in the table.
func Of(name string) Syntax { return bySuffix[strings.ToLower(path.Ext(name))] }

// Named returns the syntax that a script calls by a name such as "csv without header".
func Named(name string) (Syntax, bool) {
	s, ok := byName[name]
	return s, ok
}

// Names returns the names that Named knows, in the order of the table.
func Names() (names []string) {
	for _, row := range table {
		if row.name != "" {
			names = append(names, row.name)
		}
	}
	return names
}

// Family says which paths select in texts of a syntax.
type Family uint8

const (
	NoFamily Family = iota
	Values          // JSONPath
	Markup          // XPath
)

// Family returns the family of paths for the syntax.
func (s Syntax) Family() Family {
	switch {
	case s == XML:
		return Markup
	case s.HasValues():
		return Values
	}
	return NoFamily
}

// IsJudged reports whether a text that parses must still parse after a change.
func (s Syntax) IsJudged() bool { return table[s].judged }

// List returns the names that Named knows, for a message.
func List() string {
	names := Names()
	for i, name := range names {
		if strings.Contains(name, " ") {
			names[i] = strconv.Quote(name)
		}
	}
	last := len(names) - 1
	return strings.Join(names[:last], ", ") + " or " + names[last]
}

// HasValues reports whether texts of the syntax are trees of values that paths select.
func (s Syntax) HasValues() bool { return table[s].name != "" }

// IsProse reports whether headings divide texts of the syntax into sections.
func (s Syntax) IsProse() bool { return s == Markdown || s == ReST || s == AsciiDoc }
