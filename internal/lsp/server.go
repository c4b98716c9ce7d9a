// Package lsp is a server of the Language Server Protocol for rule scripts.
//
// The central function is [Serve]. Questions are answered by package assist from the text as it is typed; problems are
// found in the background when typing rests, the examples' a little later.
package lsp

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"sync"

	"github.com/creachadair/jrpc2"
	"github.com/creachadair/jrpc2/handler"

	"frizzel/core/assist"
	"frizzel/core/script"
	"frizzel/internal/exit"
	"frizzel/internal/rules"
)

// Error codes of the protocol.
const (
	codeNotInitialized = -32002
	codeCancelled      = -32800
	codeFailed         = -32803
)

// Serve answers a client until it says exit, or its stream ends. The error is one of a client that ended without a
// shutdown, or of a stream.
func Serve(ctx context.Context, in io.Reader, out io.Writer, version string) error {
	s := &server{version: version, texts: map[string]*text{}, checks: map[string]context.CancelFunc{}, units: utf16Units, over: make(chan struct{})}
	s.rpc = jrpc2.NewServer(s.methods(), &jrpc2.ServerOptions{AllowPush: true, DisableBuiltin: true})
	s.ctx, s.stop = context.WithCancel(ctx)
	defer s.stop()
	s.rpc.Start(newChannel(in, out))
	ended := make(chan error, 1)
	go func() { ended <- s.rpc.Wait() }()
	select {
	case err := <-ended:
		if err != nil && !errors.Is(err, io.EOF) && !errors.Is(err, io.ErrUnexpectedEOF) {
			return err
		}
	case <-s.over:
	case <-ctx.Done():
	}
	if s.state() != stopped {
		return exit.With(exit.Would, errors.New("the client ended without shutdown"))
	}
	return nil
}

// A phase is where a session stands.
type phase int

const (
	begun phase = iota
	ready
	stopped // shutdown was asked for
)

// A server is one session.
type server struct {
	rpc     *jrpc2.Server
	ctx     context.Context
	stop    context.CancelFunc
	version string
	over    chan struct{} // closed by exit
	cancels sync.Map      // the functions that cancel requests, by their IDs; nil for one that was cancelled before it runs

	mu       sync.Mutex
	phase    phase
	units    encoding
	versions bool             // the client takes edits with versions
	texts    map[string]*text // open documents, by URI
	checks   map[string]context.CancelFunc
	problems map[string]*checked // by URI
}

func (s *server) state() phase {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.phase
}

// methods returns the handlers. A request before initialize or after shutdown is refused, a notification dropped.
func (s *server) methods() handler.Map {
	m := handler.Map{
		"initialize": handler.New(s.initialize), "shutdown": handler.New(s.shutdown), "exit": handler.New(s.exit), "initialized": quiet, "$/setTrace": quiet,
		"$/cancelRequest": handler.New(s.cancel), "textDocument/didSave": quiet, "workspace/didChangeConfiguration": quiet, "workspace/didChangeWatchedFiles": quiet,
	}
	for name, h := range map[string]jrpc2.Handler{
		"textDocument/didOpen": handler.New(s.open), "textDocument/didChange": handler.New(s.change), "textDocument/didClose": handler.New(s.close),
		"textDocument/completion": handler.New(s.completion), "textDocument/hover": handler.New(s.hover), "textDocument/definition": handler.New(s.definition),
		"textDocument/prepareRename": handler.New(s.prepareRename), "textDocument/rename": handler.New(s.rename),
		"textDocument/formatting": handler.New(s.formatting), "textDocument/codeAction": handler.New(s.codeAction),
	} {
		m[name] = s.inOrder(h)
	}
	return m
}

func quiet(context.Context, *jrpc2.Request) (any, error) { return nil, nil }

// inOrder returns a handler that answers while the session is ready. One that was cancelled says so.
func (s *server) inOrder(h jrpc2.Handler) jrpc2.Handler {
	return func(ctx context.Context, r *jrpc2.Request) (result any, err error) {
		switch s.state() {
		case begun:
			return nil, jrpc2.Errorf(codeNotInitialized, "initialize comes first")
		case stopped:
			return nil, jrpc2.Errorf(jrpc2.InvalidRequest, "shutdown was asked for")
		}
		ctx, cancel := context.WithCancel(ctx)
		defer cancel()
		if id := r.ID(); id != "" {
			if was, early := s.cancels.Swap(id, cancel); early && was == nil {
				cancel()
			}
			defer s.cancels.Delete(id)
		}
		defer exit.Caught(&err)
		if result, err = h(ctx, r); ctx.Err() != nil {
			return nil, jrpc2.Errorf(codeCancelled, "cancelled")
		}
		return result, err
	}
}

func (s *server) initialize(_ context.Context, p *initializeParams) (any, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.phase != begun {
		return nil, jrpc2.Errorf(jrpc2.InvalidRequest, "initialize comes once")
	}
	s.phase = ready
	if p != nil {
		s.units = agreed(p.Capabilities.General.PositionEncodings)
		s.versions = p.Capabilities.Workspace.WorkspaceEdit.DocumentChanges
	}
	return initializeResult{
		capabilities{
			PositionEncoding: string(s.units), TextDocumentSync: textSync{true, incremental},
			CompletionProvider: completionOptions{[]string{"=", " "}}, HoverProvider: true, DefinitionProvider: true,
			RenameProvider: renameOptions{true}, DocumentFormattingProvider: true, CodeActionProvider: codeActionOptions{[]string{"quickfix"}},
		}, serverInfo{"frizzel", s.version},
	}, nil
}

func (s *server) shutdown(context.Context) (any, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.phase == begun {
		return nil, jrpc2.Errorf(codeNotInitialized, "initialize comes first")
	}
	s.phase = stopped
	return nil, nil
}

func (s *server) exit(context.Context) error {
	select {
	case <-s.over:
	default:
		close(s.over)
	}
	return nil
}

func (s *server) cancel(_ context.Context, p *cancelParams) error {
	if p == nil {
		return nil
	}
	// The request may not run yet; or it is answered already, and then nobody has the ID again.
	if cancel, running := s.cancels.LoadOrStore(string(p.ID), nil); running && cancel != nil {
		cancel.(context.CancelFunc)()
	}
	return nil
}

// pathOf returns the path of a document: of a file its own, of anything else a name in the current directory.
func pathOf(uri string) string {
	if u, err := url.Parse(uri); err == nil && u.Scheme == "file" && u.Path != "" {
		return filepath.ToSlash(filepath.Clean(u.Path))
	}
	here, err := os.Getwd()
	if err != nil {
		here = "/"
	}
	return filepath.ToSlash(filepath.Join(here, "unsaved.friz"))
}

// readAtOnce is the maximum size in bytes of a script that is read when it is opened.
const readAtOnce = 1 << 20

func uriOf(path string) string { return (&url.URL{Scheme: "file", Path: path}).String() }

func (s *server) open(_ context.Context, p *openParams) error {
	s.mu.Lock()
	t := newText(p.TextDocument.URI, pathOf(p.TextDocument.URI), p.TextDocument.Text, p.TextDocument.Version, s.units)
	s.texts[t.uri] = t
	s.mu.Unlock()
	if len(t.Text) <= readAtOnce {
		t.Names() // so that the first question finds it read
	}
	s.check()
	return nil
}

func (s *server) change(_ context.Context, p *changeParams) error {
	s.mu.Lock()
	was := s.texts[p.TextDocument.URI]
	s.mu.Unlock()
	if was == nil {
		return fmt.Errorf("%s is not open", p.TextDocument.URI)
	}
	is, err := was.changed(p.TextDocument.Version, p.ContentChanges)
	if err != nil {
		return err
	}
	s.mu.Lock()
	s.texts[is.uri] = is
	s.mu.Unlock()
	s.check()
	return nil
}

func (s *server) close(_ context.Context, p *documentParams) error {
	s.mu.Lock()
	was := s.texts[p.TextDocument.URI]
	delete(s.texts, p.TextDocument.URI)
	delete(s.problems, p.TextDocument.URI)
	if stop := s.checks[p.TextDocument.URI]; stop != nil {
		stop()
		delete(s.checks, p.TextDocument.URI)
	}
	s.mu.Unlock()
	if was == nil {
		return nil
	}
	s.check() // others may use what is on disk now
	return s.rpc.Notify(s.ctx, "textDocument/publishDiagnostics", publishParams{URI: was.uri, Version: was.version, Diagnostics: []diagnostic{}})
}

// find returns an open document.
func (s *server) find(uri string) (*text, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if t := s.texts[uri]; t != nil {
		return t, nil
	}
	return nil, jrpc2.Errorf(jrpc2.InvalidParams, "%s is not open", uri)
}

// opened returns the open document of a path, nil if it is not open.
func (s *server) opened(path string) *text {
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, t := range s.texts {
		if t.Name == path {
			return t
		}
	}
	return nil
}

// loader returns what reads the scripts that a document uses: open ones as they are typed, others from their files.
func (s *server) loader(t *text) assist.Loader {
	read := rules.ReaderFor(t.Name)
	return func(name string) *assist.Document {
		if open := s.opened(name); open != nil {
			return open.Document
		}
		if !strings.HasSuffix(name, script.Suffix) {
			return nil
		}
		content, err := read(name)
		if err != nil {
			return nil
		}
		return assist.Read(name, string(content))
	}
}

// asText returns a document as a text with positions.
func (s *server) asText(d *assist.Document) *text {
	if open := s.opened(d.Name); open != nil && open.Document == d {
		return open
	}
	return newText(uriOf(d.Name), d.Name, d.Text, 0, s.units)
}

// raw is JSON that stands for no result.
var raw = json.RawMessage("null")
