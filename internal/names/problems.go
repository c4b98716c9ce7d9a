package names

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"unicode"

	"frizzel/core/script"
	"frizzel/internal/disk"
	"frizzel/internal/selection"
)

// A Problem is why a new name cannot be given.
type Problem struct {
	Item *Item
	Text string // the other file, if there is one, is named in it
}

// Problem returns why an item cannot get its new name, "" if it can.
func (p *Plan) Problem(item *Item) string {
	p.answers.Lock()
	defer p.answers.Unlock()
	if p.problems == nil {
		p.problems = map[*Item]string{}
		for _, one := range p.Problems() {
			p.problems[one.Item] = one.Text
		}
	}
	return p.problems[item]
}

// Problems checks all accepted names, and returns why they cannot be given, in path order.
func (p *Plan) Problems() (all []Problem) {
	groups := map[string][]*Item{}
	var order []string
	for _, item := range p.Items {
		if err := item.Refuse(); err != nil {
			all = append(all, Problem{item, err.Error()})
			continue
		}
		if !item.Name.Changes() {
			continue
		}
		dir := filepath.Dir(item.At.Absolute())
		if groups[dir] == nil {
			order = append(order, dir)
		}
		groups[dir] = append(groups[dir], item)
	}
	mounted := disk.MountPoints()
	for _, dir := range order {
		all = append(all, problemsIn(dir, groups[dir], mounted)...)
	}
	return all
}

// problemsIn checks the new names in one directory.
func problemsIn(path string, group []*Item, mounted map[string]bool) (all []Problem) {
	dir, err := disk.Real{}.OpenDir(path)
	if err != nil {
		return []Problem{{group[0], err.Error()}}
	}
	defer disk.Close(dir)
	c := &checking{dir: dir, leaves: map[string]*Item{}, gets: map[string]*Item{}, folded: map[string]*Item{}}
	for _, item := range group {
		c.leaves[item.Name.Old] = item
	}
	for _, item := range group {
		if why := c.check(item, mounted); why != "" {
			all = append(all, Problem{item, why})
		}
	}
	return all
}

// A checking is the check of the new names in one directory.
type checking struct {
	dir    disk.Dir
	leaves map[string]*Item // by old names
	gets   map[string]*Item // by new names
	folded map[string]*Item // by new names, without their case
	fold   *bool            // whether the directory ignores case; nil if unknown
	names  map[string]string
}

// check returns why an item cannot get its new name, "" if it can.
func (c *checking) check(item *Item, mounted map[string]bool) string {
	name := item.Name.Now()
	other := c.gets[name]
	c.gets[name] = item
	switch {
	case len(name) > c.dir.MaxName():
		return fmt.Sprintf("its new name has %d bytes, and %d are the most here: %s", len(name), c.dir.MaxName(), script.Shorten(name))
	case c.mount(item, mounted):
		return "it is a mount point, which cannot be renamed"
	case other != nil:
		return fmt.Sprintf("it and %s would both be called %s", other.At.Path, name)
	}
	if c.leaves[name] == nil && c.there(name) && !c.itself(item, name) {
		return fmt.Sprintf("its new name %s is taken by %s", name, filepath.Join(filepath.Dir(item.At.Path), c.listed(name)))
	}
	return c.sameBut(item, name)
}

// manyNames is the number of new names in a directory from which it is listed, instead of looking for each.
const manyNames = 16

// there reports whether something in the directory has a name, or on some file systems one that differs by case only.
func (c *checking) there(name string) bool {
	if len(c.leaves) < manyNames {
		_, err := c.dir.Stat(name)
		return err == nil
	}
	c.listed(name)
	if _, ok := c.names[strings.ToLower(name)]; !ok {
		return false
	}
	_, err := c.dir.Stat(name)
	return err == nil
}

// mount reports whether an item is a mount point.
func (c *checking) mount(item *Item, mounted map[string]bool) bool {
	if mounted[item.At.Absolute()] {
		return true
	}
	if item.Kind != disk.Directory {
		return false
	}
	info, err := c.dir.Stat(item.Name.Old)
	return err == nil && info.Device != c.dir.ID().Device
}

// itself reports whether a new name is the item's own in another case, on a file system that ignores case.
func (c *checking) itself(item *Item, name string) bool {
	if !strings.EqualFold(item.Name.Old, name) {
		return false
	}
	was, err := c.dir.Stat(item.Name.Old)
	is, isErr := c.dir.Stat(name)
	return err == nil && isErr == nil && was.ID == is.ID && c.listed(name) != name
}

// listed returns how the directory writes a name, which may be in another case.
func (c *checking) listed(name string) string {
	if c.names == nil {
		c.names = map[string]string{}
		all, _ := c.dir.Names()
		for _, n := range all {
			c.names[strings.ToLower(n)] = n
		}
		for _, n := range all {
			c.names[n] = n
		}
	}
	if n, ok := c.names[name]; ok {
		return n
	}
	if n, ok := c.names[strings.ToLower(name)]; ok {
		return n
	}
	return name
}

// sameBut returns why a name cannot be given because another one differs from it by case only.
func (c *checking) sameBut(item *Item, name string) string {
	low := strings.ToLower(name)
	other := c.folded[low]
	c.folded[low] = item
	if other != nil && c.folds(item) {
		return fmt.Sprintf("its new name %s and the new name %s of %s differ only in case, and this file system ignores case", name, other.Name.Now(), other.At.Path)
	}
	return ""
}

// folds reports whether the directory finds a name by another case of it.
func (c *checking) folds(item *Item) bool {
	if c.fold == nil {
		swapped := strings.Map(swapCase, item.Name.Old)
		was, err := c.dir.Stat(item.Name.Old)
		is, isErr := c.dir.Stat(swapped)
		fold := swapped != item.Name.Old && err == nil && isErr == nil && was.ID == is.ID && c.listed(swapped) != swapped
		c.fold = &fold
	}
	return *c.fold
}

func swapCase(r rune) rune {
	if unicode.IsUpper(r) {
		return unicode.ToLower(r)
	}
	return unicode.ToUpper(r)
}

// targetOf returns the text of a symbolic link, "" if it cannot be read.
func targetOf(abs string) string {
	text, err := os.Readlink(abs)
	if err != nil {
		return ""
	}
	return text
}

// moving returns the files and links of a path that moves with a directory, in path order.
func (p *Plan) moving(shown, abs string) (all []*Item) {
	info, err := os.Lstat(abs)
	if err != nil {
		return nil
	}
	kind := disk.Regular
	switch {
	case info.IsDir() && selection.IsVersionControl(filepath.Base(abs)):
		p.hidden = append(p.hidden, shown)
		return nil
	case info.IsDir():
		entries, _ := os.ReadDir(abs) // what cannot be read is in the summary
		for _, e := range entries {
			all = append(all, p.moving(filepath.Join(shown, e.Name()), filepath.Join(abs, e.Name()))...)
		}
		return all
	case info.Mode()&os.ModeSymlink != 0:
		kind = disk.Link
	case !info.Mode().IsRegular():
		return nil
	}
	item := movingItem(shown, abs, kind)
	p.at[abs] = item
	return []*Item{item}
}
