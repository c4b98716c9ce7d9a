package history

import (
	"errors"
	"io"

	"frizzel/core/diff"
	"frizzel/core/document"
	"frizzel/core/edit"
	"frizzel/internal/disk"
	"frizzel/internal/vault/store"
)

// errTouches is the reason of a file whose later changes touch those of the run.
var errTouches = errors.New("it was changed since where the run changed it; --force puts it back all the same")

// around rebases edits onto the result of later edits of the same text, which stay. The error is errTouches if an
// edit touches a later one.
func around(later, edits edit.List) (edit.List, error) {
	out := make(edit.List, 0, len(edits))
	shift, k := 0, 0
	for _, e := range edits {
		for k < len(later) && later[k].End < e.Start {
			shift += len(later[k].New) - (later[k].End - later[k].Start)
			k++
		}
		if k < len(later) && later[k].Start <= e.End {
			return nil, errTouches
		}
		e.Start, e.End = e.Start+shift, e.End+shift
		out = append(out, e)
	}
	return out, nil
}

// maxAround is the maximum size in bytes of a file whose changes can be undone around later ones, since that
// needs a comparison in memory.
const maxAround = 256 << 20

// around undoes the run's changes to a file and keeps later ones.
func (w *reverser) around(b *Back, e *store.Entry, f disk.File) error {
	if max(e.Old.Size, b.Print.Size) > maxAround {
		return errLarge
	}
	old, err := read(w.old(e))
	if err != nil {
		return err
	}
	edits, err := edit.Gather(w.Edits(w.record, e))
	if err == nil && !edits.Fits(len(old)) {
		err = edit.ErrMisfit
	}
	if err != nil {
		return err
	}
	now, err := disk.ReadAll(f, b.Print.Size)
	if err != nil {
		return err
	}
	ran := edits.Apply(old)
	back, err := around(diff.Compare(ran, now), edits.Invert(old)) // later changes are known as whole lines
	if document.KindOf(b.Path) != document.None {
		back, err = aroundInDocument(b.Path, old, ran, now)
	}
	b.Edits = back.Clone()
	return err
}

// aroundInDocument is around for an office document: both changes are edits of its text, whose lines are whole
// paragraphs.
func aroundInDocument(path string, old, ran, now []byte) (edit.List, error) {
	var all [3]*document.Document
	for i, raw := range [][]byte{old, ran, now} {
		d, err := document.Read(path, raw)
		if err != nil {
			return nil, err
		}
		all[i] = d
	}
	back, err := around(document.Compare(all[1], all[2]), document.Compare(all[1], all[0]))
	if err != nil {
		return nil, err
	}
	return all[2].Encode(back)
}

func read(open edit.Opener) ([]byte, error) {
	in, err := open()
	if err != nil {
		return nil, err
	}
	defer disk.Close(in)
	return io.ReadAll(in)
}
