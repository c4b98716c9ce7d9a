package lsp

import "encoding/json"

// The parts of the Language Server Protocol, version 3.17, that the server reads and writes.

type position struct {
	Line      int `json:"line"`      // from 0
	Character int `json:"character"` // from 0, in units of the encoding that was agreed on
}

type span struct {
	Start position `json:"start"`
	End   position `json:"end"`
}

type location struct {
	URI   string `json:"uri"`
	Range span   `json:"range"`
}

type textEdit struct {
	Range   span   `json:"range"`
	NewText string `json:"newText"`
}

type identifier struct {
	URI string `json:"uri"`
}

type versioned struct {
	URI     string `json:"uri"`
	Version *int   `json:"version"`
}

type initializeParams struct {
	Capabilities struct {
		General struct {
			PositionEncodings []string `json:"positionEncodings"`
		} `json:"general"`
		Workspace struct {
			WorkspaceEdit struct {
				DocumentChanges bool `json:"documentChanges"`
			} `json:"workspaceEdit"`
		} `json:"workspace"`
	} `json:"capabilities"`
}

type initializeResult struct {
	Capabilities capabilities `json:"capabilities"`
	ServerInfo   serverInfo   `json:"serverInfo"`
}

type serverInfo struct {
	Name    string `json:"name"`
	Version string `json:"version"`
}

type capabilities struct {
	PositionEncoding           string            `json:"positionEncoding"`
	TextDocumentSync           textSync          `json:"textDocumentSync"`
	CompletionProvider         completionOptions `json:"completionProvider"`
	HoverProvider              bool              `json:"hoverProvider"`
	DefinitionProvider         bool              `json:"definitionProvider"`
	RenameProvider             renameOptions     `json:"renameProvider"`
	DocumentFormattingProvider bool              `json:"documentFormattingProvider"`
	CodeActionProvider         codeActionOptions `json:"codeActionProvider"`
}

type textSync struct {
	OpenClose bool `json:"openClose"`
	Change    int  `json:"change"`
}

// incremental is the kind of text synchronization that sends changes alone.
const incremental = 2

type completionOptions struct {
	TriggerCharacters []string `json:"triggerCharacters"`
}

type renameOptions struct {
	PrepareProvider bool `json:"prepareProvider"`
}

type codeActionOptions struct {
	CodeActionKinds []string `json:"codeActionKinds"`
}

type openParams struct {
	TextDocument struct {
		URI     string `json:"uri"`
		Version int    `json:"version"`
		Text    string `json:"text"`
	} `json:"textDocument"`
}

type changeParams struct {
	TextDocument struct {
		URI     string `json:"uri"`
		Version int    `json:"version"`
	} `json:"textDocument"`
	ContentChanges []contentChange `json:"contentChanges"`
}

type contentChange struct {
	Range *span  `json:"range"` // nil for the whole text
	Text  string `json:"text"`
}

type documentParams struct {
	TextDocument identifier `json:"textDocument"`
}

type placeParams struct {
	TextDocument identifier `json:"textDocument"`
	Position     position   `json:"position"`
}

type renameParams struct {
	placeParams
	NewName string `json:"newName"`
}

type codeActionParams struct {
	TextDocument identifier `json:"textDocument"`
	Range        span       `json:"range"`
}

type cancelParams struct {
	ID json.RawMessage `json:"id"`
}

type completionItem struct {
	Label    string   `json:"label"`
	Kind     int      `json:"kind"`
	Detail   string   `json:"detail,omitempty"`
	SortText string   `json:"sortText"`
	TextEdit textEdit `json:"textEdit"`
}

// Kinds of completion items.
const (
	kindFunction = 3
	kindVariable = 6
	kindKeyword  = 14
)

type completionList struct {
	IsIncomplete bool             `json:"isIncomplete"`
	Items        []completionItem `json:"items"`
}

type hover struct {
	Contents markup `json:"contents"`
	Range    span   `json:"range"`
}

type markup struct {
	Kind  string `json:"kind"`
	Value string `json:"value"`
}

type diagnostic struct {
	Range    span   `json:"range"`
	Severity int    `json:"severity"`
	Source   string `json:"source"`
	Message  string `json:"message"`
}

// Severities of diagnostics.
const (
	severityError   = 1
	severityWarning = 2
)

type publishParams struct {
	URI         string       `json:"uri"`
	Version     int          `json:"version"`
	Diagnostics []diagnostic `json:"diagnostics"`
}

type workspaceEdit struct {
	Changes         map[string][]textEdit `json:"changes,omitempty"`
	DocumentChanges []documentEdit        `json:"documentChanges,omitempty"`
}

type documentEdit struct {
	TextDocument versioned  `json:"textDocument"`
	Edits        []textEdit `json:"edits"`
}

type codeAction struct {
	Title       string        `json:"title"`
	Kind        string        `json:"kind"`
	Diagnostics []diagnostic  `json:"diagnostics"`
	IsPreferred bool          `json:"isPreferred,omitempty"`
	Edit        workspaceEdit `json:"edit"`
}
