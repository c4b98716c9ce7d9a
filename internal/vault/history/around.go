package history

import (
	"errors"

	"frizzel/core/diff"
	"frizzel/core/edit"
)

// errTouches is the reason of a file whose later changes touch those of the run.
var errTouches = errors.New("it was changed since where the run changed it; --force puts it back all the same")

// around carries edits of a text over to what became of it: later edits stay, and those
// given are made around them. The error is errTouches where one of each touch. What
// changed since is told by whole lines.
func around(text, now []byte, edits edit.List) (edit.List, error) {
	later := diff.Compare(text, now)
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
