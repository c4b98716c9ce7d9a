package fleet

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"sync"

	"golang.org/x/sync/errgroup"

	"frizzel/core/script"
	"frizzel/internal/exit"
	"frizzel/internal/fleet/wire"
)

// A File is a change of a file that is the same on several hosts.
type File struct {
	wire.File
	Sum     string // identifies the change, by its path and its diff
	Members []*Member
}

// A Member is a host of a run.
type Member struct {
	Host
	Files  []*File
	Answer *Answer // nil if the host gave none
	Fault  error   // why it gave none, or refuses
}

// Ready reports whether the host has changes that can be written.
func (m *Member) Ready() bool { return m.Fault == nil && len(m.Files) > 0 }

// A Survey is what would change on all hosts.
type Survey struct {
	Members []*Member
	Files   []*File // each distinct change once; the rarest first
}

// Order says what is to be looked for, on which hosts.
type Order struct {
	Way     *Way
	AtOnce  int
	Members []*Member
	Rules   int // number of rules
	// Request returns what a host is asked; its op is Preview.
	Request func(*Member) *wire.Request
	Heard   func() // is called when a host has answered; nil for nothing
}

// Look gathers what would change.
func Look(ctx context.Context, o Order) *Survey {
	g := &gathering{files: map[string]*File{}, rules: o.Rules}
	all(ctx, o.Members, o.AtOnce, func(m *Member) {
		g.member(ctx, o.Way, m, o.Request(m))
		if o.Heard != nil {
			o.Heard()
		}
	})
	s := &Survey{Members: o.Members}
	g.twice(o.Members)
	seen := map[*File]bool{}
	for _, m := range o.Members {
		for _, f := range m.Files {
			if m.Fault == nil {
				f.Members = append(f.Members, m)
			}
			if m.Fault == nil && !seen[f] {
				seen[f] = true
				s.Files = append(s.Files, f)
			}
		}
	}
	slices.SortStableFunc(s.Files, func(a, b *File) int {
		if d := len(a.Members) - len(b.Members); d != 0 {
			return d
		}
		return strings.Compare(a.Path, b.Path)
	})
	return s
}

// all calls do for each member, for at most n at once, and returns when all have ended.
func all(ctx context.Context, members []*Member, n int, do func(*Member)) {
	var group errgroup.Group
	group.SetLimit(max(n, 1))
	for _, m := range members {
		group.Go(func() error {
			if m.Fault = ctx.Err(); m.Fault == nil {
				do(m)
			}
			return nil
		})
	}
	_ = group.Wait() // none of them fails
}

// Forget has hosts give up the reviews that they keep for a run.
func Forget(ctx context.Context, way *Way, n int, members []*Member, run string) {
	all(ctx, members, n, func(m *Member) {
		if m.Answer != nil && m.Answer.State == wire.Reviewed {
			_, _ = way.Call(ctx, m.Name, &wire.Request{Op: wire.Forget, Run: run}, func(*wire.Message) error { return nil })
		}
	})
}

// A gathering keeps each distinct change once.
type gathering struct {
	rules int
	mu    sync.Mutex
	files map[string]*File
}

// member asks one host.
func (g *gathering) member(ctx context.Context, way *Way, m *Member, request *wire.Request) {
	m.Files, m.Fault = nil, nil
	m.Answer, m.Fault = way.Call(ctx, m.Name, request, func(msg *wire.Message) error {
		if msg.File == nil {
			return nil
		}
		if f := msg.File; !within(f.Path, request.Files.Paths) || !within(f.To, request.Files.Paths) && filepath.Dir(f.To) != filepath.Dir(f.Path) {
			return fmt.Errorf("%w: it names the file %q, which nobody asked for", errStrange, f.Path)
		}
		if !g.fits(msg.File) {
			return errStrange
		}
		m.Files = append(m.Files, g.file(msg.File))
		return nil
	})
	switch a := m.Answer; {
	case m.Fault != nil:
	case len(a.Refuses) > 0:
		m.Fault = exit.Refusedf("%s", strings.Join(a.Refuses, "; "))
	case a.Error != "":
		m.Fault = exit.With(exit.Status(a.Status), fmt.Errorf("%s", a.Error))
	case a.Digest == "", len(m.Files) != a.Files:
		m.Fault = &Fault{Host: m.Name, Reason: errStrange.Error(), Lies: true}
	}
	if m.Fault != nil {
		m.Files = nil
	}
}

// fits reports whether what a host says of a file's changes is possible: its counts and rules, and edits that lie within
// their text, in order.
func (g *gathering) fits(f *wire.File) bool {
	if f.Count < 0 || len(f.Rules) > g.rules || slices.ContainsFunc(f.Rules, func(n int) bool { return n < 0 }) {
		return false
	}
	for _, c := range f.Changes {
		if c.Of < 0 || c.Of >= script.Subjects || c.Rule < 0 || c.Rule >= g.rules || c.Line < 0 || len(c.Edits) > 0 && c.Text == nil {
			return false
		}
		at := 0
		for _, e := range c.Edits {
			if e.Start < at || e.End < e.Start || e.End > len(c.Text) {
				return false
			}
			at = e.End
		}
	}
	return true
}

// within reports whether a path is one of those that were asked for, or below one.
func within(path string, asked []string) bool {
	return filepath.IsAbs(path) && filepath.Clean(path) == path && slices.ContainsFunc(asked, func(root string) bool {
		root = filepath.Clean(root)
		return path == root || strings.HasPrefix(path, strings.TrimSuffix(root, "/")+"/")
	})
}

// file returns the change that a host sent, which may have been sent by another one already.
func (g *gathering) file(f *wire.File) *File {
	sum := sha256.New()
	fmt.Fprintf(sum, "%d %s%d %s%d ", len(f.Path), f.Path, len(f.To), f.To, f.Count)
	sum.Write(f.Diff)
	key := hex.EncodeToString(sum.Sum(nil))
	g.mu.Lock()
	defer g.mu.Unlock()
	if g.files[key] == nil {
		g.files[key] = &File{File: *f, Sum: key}
	}
	return g.files[key]
}

// twice marks hosts that are the same machine under another name.
func (g *gathering) twice(members []*Member) {
	seen := map[[3]string]string{}
	for _, m := range members {
		if m.Fault != nil || m.Answer.Store == "" {
			continue
		}
		is := [3]string{m.Answer.Machine, m.Answer.Boot, m.Answer.Store}
		if other, ok := seen[is]; ok {
			m.Fault = exit.Refusedf("it is the same machine as %s", other)
			m.Files = nil
			continue
		}
		seen[is] = m.Name
	}
}

// A Group is hosts on which the same files would change in the same way, or for which the same is to be said.
type Group struct {
	Members []*Member
	Files   []*File
	Reason  string // why nothing can be written there
}

// Groups returns the distinct changes by the hosts that they are on, the rarest first, and the reasons of hosts that gave
// no answer or refuse.
func (s *Survey) Groups() (groups []*Group) {
	by := map[string]*Group{}
	group := func(key string, members ...*Member) *Group {
		g := by[key]
		if g == nil {
			g = &Group{}
			by[key], groups = g, append(groups, g)
		}
		g.Members = append(g.Members, members...)
		return g
	}
	for _, m := range s.Members {
		if m.Fault != nil {
			group("fault "+Reason(m.Fault), m).Reason = Reason(m.Fault)
		}
	}
	for _, f := range s.Files {
		var key strings.Builder
		for _, m := range f.Members {
			key.WriteString(m.Name + " ")
		}
		g := by[key.String()]
		if g == nil {
			g = group(key.String(), f.Members...)
		}
		g.Files = append(g.Files, f)
	}
	slices.SortStableFunc(groups, func(a, b *Group) int { return len(a.Members) - len(b.Members) })
	return groups
}

// Changing returns the number of hosts on which something would change.
func (s *Survey) Changing() (n int) {
	for _, m := range s.Members {
		if m.Ready() {
			n++
		}
	}
	return n
}

// Reason returns what a fault says, without the host's name.
func Reason(err error) string {
	if f, ok := err.(*Fault); ok {
		return f.Reason
	}
	return err.Error()
}
