package script

// A Subject is the text that a statement acts on.
type Subject int

const (
	Content       Subject = iota // of a file
	FileName                     // the last part of a file's path, or of a symbolic link's own
	DirectoryName                // the last part of a directory's path
	LinkTarget                   // the text of a symbolic link

	Subjects = int(LinkTarget) + 1 // number of subjects
)

var subjects = [Subjects]struct{ address, noun string }{
	Content:       {"", "content"},
	FileName:      {"file name", "name"},
	DirectoryName: {"directory name", "directory's name"},
	LinkTarget:    {"link target", "link's target"},
}

// Address returns the words of the address that selects the subject, without the opening one; "" for Content.
func (s Subject) Address() string { return subjects[s].address }

// String returns what the subject is, as in "the directory's name".
func (s Subject) String() string { return subjects[s].noun }

// Names is `file name`, `directory name` and `link target`: it selects no lines of a file, but a text beside its content.
type Names struct{ Of Subject }

var nameRows = []addressRow{
	nameRow(FileName, "file", "name", `in file name replace word "depot-3" with "depot-4"`,
		"the last part of a file's path, or of a symbolic link's own"),
	nameRow(DirectoryName, "directory", "name", `in directory name replace word "depot-3" with "depot-4"`,
		"the last part of a directory's path"),
	nameRow(LinkTarget, "link", "target", `in link target replace word "depot-3" with "depot-4"`,
		"the text of a symbolic link"),
}

// nameRow returns the row of a subject, whose address is two words.
func nameRow(of Subject, first, second, example, help string) addressRow {
	return addressRow{word: first, opening: "in", parse: func(p *parser) Form {
		p.want(second, first)
		return &Names{of}
	}, uses: []Use{{"in " + of.Address(), help, example}}}
}

func (n *Names) word() string { return [Subjects]string{"", "file", "directory", "link"}[n.Of] }
func (n *Names) chunks(opening string) []chunk {
	return oneOf(opening + " " + n.Of.Address())
}

// SubjectOf returns the subject that an address selects, Content for one of lines or values.
func (a *Address) SubjectOf() Subject {
	if n, ok := a.Form.(*Names); ok {
		return n.Of
	}
	return Content
}
