package change

import (
	"maps"
	"path/filepath"
	"slices"
)

// A Move is a directory that gets another name.
type Move struct {
	Path Path `json:"path"` // absolute, before any move
	Name Path `json:"name"` // the last part of its path afterwards
}

// Moves are the directories that get other names, by their absolute paths before any move.
type Moves map[string]string

// MovesOf returns the moves of a list.
func MovesOf(all []Move) Moves {
	m := Moves{}
	for _, one := range all {
		m[string(one.Path)] = string(one.Name)
	}
	return m
}

// List returns the moves in the order of their paths.
func (m Moves) List() (all []Move) {
	for _, path := range slices.Sorted(maps.Keys(m)) {
		all = append(all, Move{Path(path), Path(m[path])})
	}
	return all
}

// Of returns the absolute path that an absolute path has after the moves.
func (m Moves) Of(path string) string {
	if len(m) == 0 {
		return path
	}
	above := filepath.Dir(path)
	if above == path {
		return path
	}
	name := filepath.Base(path)
	if fresh, ok := m[path]; ok {
		name = fresh
	}
	return filepath.Join(m.Of(above), name)
}

// Shown returns the path, as people see it, of a file after the moves: shown is its path before, abs the same as an absolute
// path without links, and name the last part afterwards, "" if that stays.
func (m Moves) Shown(shown, abs, name string) string {
	if name == "" {
		name = filepath.Base(shown)
	}
	above, aboveAbs := filepath.Dir(shown), filepath.Dir(abs)
	if above == shown || filepath.Base(above) != filepath.Base(aboveAbs) { // such as . or a link: what is above it is none of its path
		return rejoined(shown, above, name)
	}
	return rejoined(shown, m.Shown(above, aboveAbs, m[aboveAbs]), name)
}

// rejoined returns the path of a name in a directory, which shown writes or leaves out.
func rejoined(shown, above, name string) string {
	if above == "." && filepath.Base(shown) == shown {
		return name
	}
	return filepath.Join(above, name)
}
