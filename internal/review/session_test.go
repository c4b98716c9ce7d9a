package review

import (
	"errors"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"frizzel/core/compile"
	"frizzel/core/diff"
	"frizzel/core/edit"
	"frizzel/core/program"
	"frizzel/core/script"
)

// item is a file that is made of a text, under real rules.
type item struct {
	program *program.Program
	text    string
	taken   *program.Result
	written []byte
}

func (i *item) Path() string     { return "clock.ini" }
func (i *item) Moved() bool      { return false }
func (i *item) Broken() bool     { return false }
func (i *item) IsDocument() bool { return false }
func (i *item) NewPath() string  { return i.Path() }

func (i *item) ValueAt([]byte, int) string { return "" }

func (i *item) Rules() []int { return i.taken.Changes }

func (i *item) Count() int {
	n := 0
	for _, c := range i.taken.Changes {
		n += c
	}
	return n
}

func (i *item) Decide(decide func(program.Proposal) program.Answer) error {
	i.written = nil
	i.taken = i.program.Run(program.Input{Text: []byte(i.text), Decide: decide})
	return nil
}

func (i *item) Proposed() ([]byte, error) {
	if i.written != nil {
		return i.written, nil
	}
	return i.taken.Edits.Apply([]byte(i.text)), nil
}

func (i *item) Edits() edit.List { return i.taken.Edits }

func (i *item) Rewrite(fresh []byte) ([]byte, edit.List, error) {
	if strings.Contains(string(fresh), "refused") {
		return nil, nil, errors.New("refused")
	}
	i.written = fresh
	return []byte(i.text), diff.Compare([]byte(i.text), fresh), nil
}

func sessionOf(t *testing.T, rules string, texts ...string) (*Session, []*item) {
	s, problems := script.Parse("test.friz", rules)
	require.Empty(t, problems)
	p, problems := compile.Scripts([]*script.Script{s}, compile.Options{})
	require.NotNil(t, p, problems.Error())
	var items []Item
	var all []*item
	for _, text := range texts {
		i := &item{program: p, text: text}
		require.NoError(t, i.Decide(nil))
		items, all = append(items, i), append(all, i)
	}
	return NewSession(items, []string{"host", "mark"}), all
}

const twoRules = "rule host { replace word \"depot-3\" with \"depot-4\" }\nrule mark { replace text \"depot-4\" with \"<depot-4>\" }"

// What is left out is left out for the rules behind it, and comes back when it is taken
// again, by itself, with its rule, its file or all.
func TestSession(t *testing.T) {
	s, items := sessionOf(t, twoRules, "depot-3 and depot-3\n", "depot-3\n")
	proposed := func(i int) string {
		text, err := items[i].Proposed()
		require.NoError(t, err)
		return string(text)
	}
	f := s.Files[0]
	require.NoError(t, f.Open())
	require.Len(t, f.Changes, 4)
	require.NoError(t, f.Answer(f.Changes[0].Key, true))
	require.Equal(t, "depot-3 and <depot-4>\n", proposed(0))
	require.Len(t, f.Changes, 3, "what depended on it is gone")
	require.NoError(t, s.LeaveRule(1, true))
	require.Equal(t, "depot-3 and depot-4\n", proposed(0))
	require.Equal(t, "depot-4\n", proposed(1))
	changes, files, _ := s.Count()
	require.Equal(t, []int{2, 2}, []int{changes, files})
	require.NoError(t, f.Leave(true))
	require.Equal(t, "depot-3 and depot-3\n", proposed(0))
	require.NoError(t, s.LeaveAll(false))
	require.Equal(t, "<depot-4> and <depot-4>\n", proposed(0))
	require.Equal(t, "<depot-4>\n", proposed(1))
	require.NoError(t, f.Edit(f.Changes[0].Key, []byte("yard-9")))
	require.Equal(t, "yard-9 and <depot-4>\n", proposed(0))
	require.NoError(t, f.Write([]byte("by hand\n")))
	require.Equal(t, "by hand\n", proposed(0))
	require.Equal(t, -1, f.Changes[0].Rule)
	require.Error(t, f.Write([]byte("refused\n")))
	require.Equal(t, "by hand\n", proposed(0))
}

// What a person writes for a file is taken or left line by line; a line that a rule would
// have made the same is still that rule's.
func TestByHand(t *testing.T) {
	s, items := sessionOf(t, twoRules, "a depot-3\nb\ndepot-3\nc\n", "depot-3\n")
	proposed := func() string {
		text, err := items[0].Proposed()
		require.NoError(t, err)
		return string(text)
	}
	require.NoError(t, s.LeaveRule(1, true))
	f := s.Files[0]
	require.NoError(t, f.Write([]byte("a depot-4\nB\ndepot-4\nc\nd\n")))
	var rules []int
	for _, c := range f.Changes {
		require.True(t, c.ByHand)
		rules = append(rules, c.Rule)
	}
	require.Equal(t, []int{0, -1, 0, -1}, rules)
	require.NoError(t, f.Answer(f.Changes[1].Key, true))
	require.Equal(t, "a depot-4\nb\ndepot-4\nc\nd\n", proposed())
	require.NoError(t, s.LeaveRule(0, true))
	require.Equal(t, "a depot-3\nb\ndepot-3\nc\nd\n", proposed())
	require.Equal(t, 1, f.Count())
	require.NoError(t, s.LeaveRule(-1, false))
	require.Equal(t, "a depot-3\nB\ndepot-3\nc\nd\n", proposed())
	require.NoError(t, f.Leave(true)) // of the rules' changes one may be taken again, and nothing else is
	require.Equal(t, "a depot-3\nb\ndepot-3\nc\n", proposed())
	require.NoError(t, f.Answer(f.Changes[0].Key, false))
	require.Equal(t, "a depot-4\nb\ndepot-3\nc\n", proposed())
	require.NoError(t, f.Leave(false))
	require.Equal(t, "a <depot-4>\nb\n<depot-4>\nc\n", proposed())
}

// However a person answers, in whatever order: what is shown as taken is what is made, and
// what is said of one change is not forgotten by what is said of another.
func TestAnyAnswers(t *testing.T) {
	for seed := range uint64(300) {
		r := rand.New(rand.NewPCG(seed, 5))
		s, items := sessionOf(t, twoRules, "depot-3 a depot-3\nb depot-3\n", "c depot-3\n")
		for range r.IntN(12) {
			f := s.Files[r.IntN(len(s.Files))]
			require.NoError(t, f.Open())
			switch r.IntN(5) {
			case 0:
				require.NoError(t, f.Leave(r.IntN(2) == 0))
			case 1:
				require.NoError(t, s.LeaveRule(r.IntN(2), r.IntN(2) == 0))
			default:
				if len(f.Changes) > 0 {
					c := f.Changes[r.IntN(len(f.Changes))]
					leave := r.IntN(2) == 0
					require.NoError(t, f.Answer(c.Key, leave))
					for _, now := range f.Changes {
						if now.Key == c.Key {
							require.Equal(t, leave, now.Left, "seed %d", seed)
						}
					}
				}
			}
		}
		for i, f := range s.Files {
			require.NoError(t, f.Open())
			taken := 0
			for _, c := range f.Changes {
				if !c.Left {
					taken++
				}
			}
			require.Equal(t, taken, f.Count(), "seed %d", seed)
			require.Equal(t, taken, items[i].Count(), "seed %d", seed)
		}
	}
}
