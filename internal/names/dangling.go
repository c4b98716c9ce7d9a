package names

import (
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"frizzel/core/script"
	"frizzel/internal/disk"
	"frizzel/internal/selection"
)

// movingItem returns the item of a file or a link that moves with its directory.
func movingItem(shown, abs string, kind disk.Kind) *Item {
	item := &Item{Kind: kind, Moves: true, At: selection.File{Path: shown, Dir: filepath.Dir(abs), Name: filepath.Base(abs)}}
	item.Name = Text{Of: script.FileName, Old: item.At.Name, New: item.At.Name}
	if kind == disk.Link {
		target := targetOf(abs)
		item.Target = Text{Of: script.LinkTarget, Old: target, New: target}
	}
	return item
}

// A Dangling is a link that would lead nowhere.
type Dangling struct {
	Path      string // of the link, as people see it
	Statement string // that would mend it, in the rule language
}

// Dangling returns the links below the paths given that lead somewhere and would not after the run, as far as it is accepted.
func (p *Plan) Dangling() (all []Dangling) {
	after := newWorld(p)
	if len(after.gets)+len(after.targets) == 0 {
		return nil
	}
	for _, l := range p.links {
		if _, err := os.Stat(l.abs); err != nil {
			continue
		}
		old := targetOf(l.abs)
		now := old
		if l.item != nil {
			now = l.item.Target.Now()
		}
		if !after.leads(filepath.Dir(l.abs), now) {
			all = append(all, Dangling{l.shown, after.mending(filepath.Dir(l.abs), old, now)})
		}
	}
	return all
}

// A world is the file system as it will be. Its places are the paths that they have now.
type world struct {
	gets    map[string]string // from a path that will be there, in its directory of now, to the path of now
	leaves  map[string]string // from a path of now to its new last part
	targets map[string]string // new texts of links, by their paths of now
}

func newWorld(p *Plan) *world {
	w := &world{map[string]string{}, map[string]string{}, map[string]string{}}
	for _, item := range p.Items {
		abs := item.At.Absolute()
		if item.Name.Changes() {
			w.gets[filepath.Join(filepath.Dir(abs), item.Name.Now())], w.leaves[abs] = abs, item.Name.Now()
		}
		if item.Kind == disk.Link && item.Target.Changes() {
			w.targets[abs] = item.Target.Now()
		}
	}
	return w
}

// entry returns the path of now of what will be called name in a directory, "" if nothing will.
func (w *world) entry(dir, name string) string {
	path := filepath.Join(dir, name)
	if now, ok := w.gets[path]; ok {
		return now
	}
	if _, gone := w.leaves[path]; gone {
		return ""
	}
	return path
}

// maxLinks is the number of links that a path may lead through, as in most systems.
const maxLinks = 40

// leads reports whether a target leads somewhere, seen from a directory.
func (w *world) leads(dir, target string) bool {
	rest, at := target, dir
	for links := 0; rest != ""; {
		if rest[0] == '/' {
			at = "/"
		}
		var name string
		name, rest, _ = strings.Cut(strings.TrimLeft(rest, "/"), "/")
		switch name {
		case "", ".":
			continue
		case "..":
			at = filepath.Dir(at)
			continue
		}
		at = w.entry(at, name)
		info, err := os.Lstat(at)
		if at == "" || err != nil || !info.IsDir() && info.Mode()&os.ModeSymlink == 0 && strings.Trim(rest, "/") != "" {
			return false
		}
		if info.Mode()&os.ModeSymlink == 0 {
			continue
		}
		if links++; links > maxLinks {
			return false
		}
		text, ok := w.targets[at]
		if !ok {
			text = targetOf(at)
		}
		rest, at = text+"/"+rest, filepath.Dir(at)
	}
	return true
}

// mending returns the statement that makes a link lead to what it leads to now.
func (w *world) mending(dir, old, now string) string {
	parts := strings.Split(old, "/")
	at := dir
	if strings.HasPrefix(old, "/") {
		at = "/"
	}
	changed, from, to := 0, "", ""
	for i, name := range parts {
		switch name {
		case "", ".":
			continue
		case "..":
			at = filepath.Dir(at)
			continue
		}
		at = filepath.Join(at, name)
		if fresh, ok := w.leaves[at]; ok {
			changed, from, to = changed+1, name, fresh
			parts[i] = fresh
		}
		if resolved, err := filepath.EvalSymlinks(at); err == nil {
			at = resolved
		}
	}
	if changed != 1 || now != old {
		from, to = now, strings.Join(parts, "/")
	}
	return fmt.Sprintf("in link target replace text %s with %s", quoted(from), quoted(to))
}

// quoted returns a text in quotes that the language reads.
func quoted(text string) string {
	if t, ok := script.NewText(text, '"'); ok {
		return string(t.Quote) + t.Raw + string(t.Quote)
	}
	return strconv.Quote(text)
}
