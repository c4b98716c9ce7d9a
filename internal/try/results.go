package try

import (
	"context"
	"slices"

	tea "charm.land/bubbletea/v2"

	"frizzel/internal/review"
	"frizzel/internal/run"
	"frizzel/internal/selection"
)

// search ends the search of the version before and starts one of the current version.
func (m *screen) search() {
	m.stop()
	ctx, cancel := context.WithCancel(m.ctx)
	m.number++
	m.stop, m.fresh = cancel, false
	var shown []selection.File
	for _, f := range m.inView {
		shown = append(shown, f.Item.(*item).At)
	}
	if len(m.list.Files) == 0 {
		shown = slices.Clone(m.names[:min(len(m.names), m.height)])
	}
	s := &search{number: m.number, draft: m.Draft, change: m.Change, shown: shown, rows: max(m.height, 10), send: m.send, turn: m.turn, before: m.ended}
	ended := make(chan struct{})
	s.after, m.ended = ended, ended
	go s.do(ctx)
}

// compiled takes over the rules of the search, or shows their mistake. The list stays until something is found.
func (m *screen) compiled(msg compiled) {
	if msg.number != m.number {
		return
	}
	if m.mistake = msg.err; msg.err == nil {
		m.drafted = msg.drafted
	}
}

// progress adds what was found to the list. The first report of a search begins a new list.
func (m *screen) progress(msg progress) {
	if msg.number != m.number || m.mistake != nil {
		return
	}
	if !m.fresh {
		m.fresh, m.early, m.names = true, nil, nil
		looking := m.drafted.What == run.Assertions
		m.show(review.NewSession(nil, m.drafted.Labels), looking)
	}
	m.news = msg
	m.names = append(m.names, msg.names...)
	selected, _ := m.list.Selected()
	place := m.list.Place()
	for _, f := range msg.found {
		m.add(f, msg.first)
	}
	if msg.over {
		m.list.Files = slices.DeleteFunc(m.list.Files, func(f *review.File) bool { return slices.Contains(m.early, f) })
		m.early = nil
	}
	if m.fields.focus == onList {
		m.list.Keep(selected, place)
	}
}

// add adds a file. One that was on the screen is reported first by itself, and then once more with the others, which may
// come before it.
func (m *screen) add(f found, first bool) {
	it := &item{f.Watched, m.ctx}
	if first {
		file := m.list.Add(it)
		file.Install(f.sample.Proposals, f.sample.Count-len(f.sample.Proposals))
		m.early = append(m.early, file)
		return
	}
	for i, e := range m.early {
		if e.Path() != f.At.Path {
			continue
		}
		if !e.Answered() {
			e.Item = it
			if f.sample != nil || !e.Opened() {
				m.install(e, f.sample)
			}
		}
		m.early = slices.Delete(m.early, i, i+1)
		return
	}
	file := m.list.Add(it)
	m.install(file, f.sample)
	if n := len(m.early); n > 0 { // it comes before those that are still to be reported
		files := m.list.Files
		m.list.Files = slices.Insert(files[:len(files)-1], slices.Index(files, m.early[0]), file)
	}
}

// install gives a file its changes, if they were sampled.
func (m *screen) install(f *review.File, s *run.Sample) {
	if s != nil {
		f.Install(s.Proposals, max(s.Count, f.Item.Count())-len(s.Proposals))
	}
}

// read has a file read in the background, for the list.
func (m *screen) read(f *review.File, again bool) error {
	switch {
	case again && f.Answered():
		return f.Reopen()
	case again && !m.reading[f]:
		f.Close()
	}
	return nil
}

// readInView reads the files in view that are not read, and drops the changes of others if there are many.
func (m *screen) readInView() tea.Cmd {
	var cmds []tea.Cmd
	for _, f := range m.inView {
		if f.Opened() || m.reading[f] {
			continue
		}
		m.reading[f] = true
		w := f.Item.(*item).Watched
		cmds = append(cmds, func() tea.Msg {
			s, err := w.Sample(m.ctx, maxChanges)
			return sampled{f, s, err}
		})
	}
	m.drop()
	return tea.Batch(cmds...)
}

// maxOpened is the number of files whose texts may stay in memory.
const maxOpened = 100

// drop closes files out of view if too many are open.
func (m *screen) drop() {
	opened := 0
	for _, f := range m.list.Files {
		if f.Opened() {
			opened++
		}
	}
	for _, f := range m.list.Files {
		if opened > maxOpened && f.Opened() && !f.Answered() && !slices.Contains(m.inView, f) {
			f.Close()
			opened--
		}
	}
}

func (m *screen) sampled(msg sampled) {
	delete(m.reading, msg.file)
	if msg.file.Opened() {
		return
	}
	if msg.err != nil {
		m.list.Message = msg.err.Error()
	}
	if msg.sample == nil { // it changed meanwhile
		msg.file.Install(nil, 0)
		return
	}
	it := msg.file.Item.(*item)
	if msg.sample.Whole || it.Watched.Count < msg.sample.Count {
		it.Watched.Count = msg.sample.Count
	}
	m.install(msg.file, msg.sample)
}
