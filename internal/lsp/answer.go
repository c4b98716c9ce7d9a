package lsp

import (
	"context"
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"github.com/creachadair/jrpc2"

	"frizzel/core/assist"
)

func (s *server) completion(_ context.Context, p *placeParams) (any, error) {
	t, err := s.find(p.TextDocument.URI)
	if err != nil {
		return nil, err
	}
	offset := t.offset(p.Position)
	items, from := t.Complete(offset, s.loader(t))
	list := completionList{Items: []completionItem{}}
	for i, item := range items {
		kind := map[assist.ItemKind]int{assist.WordItem: kindKeyword, assist.NameItem: kindVariable, assist.FilterItem: kindFunction}[item.Kind]
		list.Items = append(list.Items, completionItem{
			Label: item.Label, Kind: kind, Detail: item.Help, SortText: fmt.Sprintf("%04d", i), TextEdit: textEdit{t.span(from, offset), item.Label},
		})
	}
	return list, nil
}

func (s *server) hover(_ context.Context, p *placeParams) (any, error) {
	t, err := s.find(p.TextDocument.URI)
	if err != nil {
		return nil, err
	}
	m, ok := t.Hover(t.offset(p.Position), s.loader(t))
	if !ok {
		return raw, nil
	}
	var b strings.Builder
	if m.Title != "" {
		fmt.Fprintf(&b, "**%s**\n\n", plain(m.Title))
	}
	if m.Text != "" {
		b.WriteString(plain(m.Text) + "\n\n")
	}
	if m.Code != "" {
		fmt.Fprintf(&b, "```frizzel\n%s\n```\n", strings.ReplaceAll(m.Code, "```", "'''"))
	}
	return hover{markup{"markdown", strings.TrimSpace(b.String())}, t.span(m.Start, m.End)}, nil
}

// plain returns a text whose characters mean nothing in Markdown.
func plain(text string) string {
	return strings.NewReplacer("\\", "\\\\", "*", "\\*", "_", "\\_", "`", "\\`", "[", "\\[", "<", "&lt;", "#", "\\#").Replace(text)
}

func (s *server) definition(_ context.Context, p *placeParams) (any, error) {
	t, err := s.find(p.TextDocument.URI)
	if err != nil {
		return nil, err
	}
	n, ok := t.NameAt(t.offset(p.Position))
	if !ok {
		return raw, nil
	}
	at, of, ok := t.Definition(n, s.loader(t))
	if !ok {
		return raw, nil
	}
	where := s.asText(of)
	return location{where.uri, where.span(at.Start, at.End)}, nil
}

func (s *server) prepareRename(_ context.Context, p *placeParams) (any, error) {
	t, err := s.find(p.TextDocument.URI)
	if err != nil {
		return nil, err
	}
	n, err := t.Renamable(t.offset(p.Position), s.loader(t))
	if err != nil {
		return raw, nil
	}
	return t.span(n.Start, n.End), nil
}

func (s *server) rename(ctx context.Context, p *renameParams) (any, error) {
	t, err := s.find(p.TextDocument.URI)
	if err != nil {
		return nil, err
	}
	n, err := t.Renamable(t.offset(p.Position), s.loader(t))
	if err == nil && ctx.Err() == nil {
		var places map[*assist.Document][]assist.Name
		if places, err = assist.Rename(n, p.NewName, s.related(t)); err == nil {
			all := map[*text][]textEdit{}
			for d, names := range places {
				of := s.asText(d)
				all[of] = edits(of, names, p.NewName)
			}
			return s.edit(all), nil
		}
	}
	return nil, jrpc2.Errorf(codeFailed, "%v", err)
}

// related returns the documents that use each other, with t: those that are open, those in the directories of these, and
// those that they use.
func (s *server) related(t *text) (all []*assist.Document) {
	s.mu.Lock()
	texts := []*text{t}
	for _, open := range s.texts {
		if open != t {
			texts = append(texts, open)
		}
	}
	s.mu.Unlock()
	known := map[string]*assist.Document{}
	uses := map[string][]string{} // both ways
	for _, open := range texts {
		load := s.loader(open)
		roots := []*assist.Document{open.Document}
		beside, _ := filepath.Glob(filepath.Join(filepath.Dir(filepath.FromSlash(open.Name)), "*.friz"))
		for _, path := range beside {
			if d := load(filepath.ToSlash(path)); d != nil {
				roots = append(roots, d)
			}
		}
		for _, root := range roots {
			for _, d := range root.Used(load) {
				if known[d.Name] != nil {
					continue
				}
				known[d.Name] = d
				for _, n := range d.Names() {
					if n.Kind == assist.ScriptName {
						to := d.Beside(n.Text)
						uses[d.Name], uses[to] = append(uses[d.Name], to), append(uses[to], d.Name)
					}
				}
			}
		}
	}
	reached := []string{t.Name}
	for i := 0; i < len(reached); i++ {
		if d := known[reached[i]]; d != nil {
			all = append(all, d)
		}
		for _, to := range uses[reached[i]] {
			if !slices.Contains(reached, to) {
				reached = append(reached, to)
			}
		}
	}
	return all
}

// edit returns edits of documents as the client takes them, with the versions of those that are open.
func (s *server) edit(all map[*text][]textEdit) (w workspaceEdit) {
	if !s.versions {
		w.Changes = map[string][]textEdit{}
		for t, edits := range all {
			w.Changes[t.uri] = edits
		}
		return w
	}
	for t, edits := range all {
		d := documentEdit{versioned{URI: t.uri}, edits}
		if s.opened(t.Name) == t {
			d.TextDocument.Version = &t.version
		}
		w.DocumentChanges = append(w.DocumentChanges, d)
	}
	slices.SortFunc(w.DocumentChanges, func(a, b documentEdit) int { return strings.Compare(a.TextDocument.URI, b.TextDocument.URI) })
	return w
}

func (s *server) formatting(ctx context.Context, p *documentParams) (any, error) {
	t, err := s.find(p.TextDocument.URI)
	if err != nil {
		return nil, err
	}
	layout, ok := t.Layout(ctx)
	if !ok {
		return nil, jrpc2.Errorf(codeFailed, "the script has mistakes, and is laid out once they are mended")
	}
	all := []textEdit{}
	for _, e := range layout {
		all = append(all, textEdit{t.span(e.Start, e.End), string(e.New)})
	}
	return all, nil
}

func (s *server) codeAction(_ context.Context, p *codeActionParams) (any, error) {
	t, err := s.find(p.TextDocument.URI)
	if err != nil {
		return nil, err
	}
	s.mu.Lock()
	found := s.problems[t.uri]
	s.mu.Unlock()
	actions := []codeAction{}
	if found == nil || found.of != t { // the problems are those of another version
		return actions, nil
	}
	from, to := t.offset(p.Range.Start), t.offset(p.Range.End)
	for _, f := range found.all {
		if f.end < from || f.start > to {
			continue
		}
		for i, fix := range f.fixes {
			start, end, fresh, ok := t.Resolve(fix, t.at)
			if !ok {
				continue
			}
			title := fix.Title
			if title == "" {
				title = f.remedy
			}
			actions = append(actions, codeAction{
				Title: title, Kind: "quickfix", Diagnostics: []diagnostic{f.diagnostic}, IsPreferred: i == 0,
				Edit: s.edit(map[*text][]textEdit{t: {{t.span(start, end), fresh}}}),
			})
		}
	}
	return actions, nil
}
