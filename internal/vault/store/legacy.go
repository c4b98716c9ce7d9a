package store

import (
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"frizzel/internal/change"
	"frizzel/internal/disk"
	"frizzel/internal/trailer"
)

// Runs of the program's first version have a manifest and a journal without digests. They
// can still be read, shown, taken back and put back.

const (
	legacyManifest = "manifest.json"
	legacyHold     = "hold"
	legacyKept     = "kept"
)

// legacyRecord is a manifest of the first version, where it differs.
type legacyRecord struct {
	*Record
	Hold  time.Time     `json:"hold,omitzero"`
	Files []legacyEntry `json:"files"`
}

type legacyEntry struct {
	*Entry
	Created bool        `json:"created"`
	Removed bool        `json:"removed"`
	Beside  change.Path `json:"beside"`
}

// isLegacy reports whether a run's folder holds one of the first version.
func isLegacy(folder disk.Folder, id string) bool {
	if _, err := folder.Stat(legacyManifest); err != nil {
		return false
	}
	_, err := getSealed(folder, journalName, id) // it is on its way to be one of this version
	return err != nil
}

// legacy reads a run of the first version.
func legacy(folder disk.Folder, id string) (*Record, error) {
	text, _, err := disk.ReadFile(folder, legacyManifest)
	if err != nil {
		return nil, err
	}
	l := legacyRecord{Record: &Record{}}
	if err := json.Unmarshal(text, &l); err != nil || l.ID != id {
		return nil, trailer.ErrDamaged
	}
	r := l.Record
	r.Format, r.Staged, r.OldEdits = 1, true, true
	var files []Entry
	for i, old := range l.Files {
		if old.Entry == nil {
			return nil, trailer.ErrDamaged
		}
		e := *old.Entry
		e.OldTemp = fmt.Sprintf("%s%s-%d", change.TempPrefix, id, i)
		switch {
		case old.Created:
			e.What = change.Create
		case old.Removed:
			e.What = change.Remove
		}
		files = append(files, e)
		if old.Beside != "" {
			r.Beside++
			files = append(files, Entry{
				Path: old.Beside, Folder: e.Folder, Name: old.Beside, What: change.Create, Role: change.Beside, After: e.Before,
			})
		}
	}
	if r.Files, err = FilesOf("", files); err != nil {
		return nil, err
	}
	r.Steps, err = legacySteps(folder, r, l.Hold)
	return r, err
}

// legacySteps reads a journal of the first version.
func legacySteps(folder disk.Folder, r *Record, hold time.Time) ([]Step, error) {
	text, _, err := disk.ReadFile(folder, journalName)
	if err != nil && !disk.Missing(err) {
		return nil, err
	}
	states := []State{Begun}
	known := map[string]State{"replacing": Replacing, "done": Done, "put back": PutBack}
	for line := range strings.Lines(string(text)) {
		word := strings.TrimSuffix(line, "\n")
		switch state, ok := known[word]; {
		case word == "", word == line: // or cut short, as by a crash
		case !ok:
			return nil, trailer.ErrDamaged
		default:
			states = append(states, state)
		}
	}
	last := states[len(states)-1]
	if last == Done && !hold.IsZero() {
		if _, err := folder.Stat(legacyHold); err == nil {
			last = Held
		}
		if _, err := folder.Stat(legacyKept); err == nil {
			last = Kept
		}
		if r.Hold = hold.Sub(r.Time); r.Hold <= 0 {
			return nil, trailer.ErrDamaged
		}
	}
	return []Step{{last, r.Time}}, nil
}
