package learn

import (
	"bytes"
	"strings"
	"unicode"
	"unicode/utf8"

	"frizzel/core/compile"
	"frizzel/core/edit"
	"frizzel/core/program"
	"frizzel/core/script"
	"frizzel/core/word"
)

// maxNames is the number of names that rules are learned from. Further ones are held against them by the caller.
const maxNames = 4000

// Names returns the statements that make each new name of its old one, and the characters that join words in them: general
// ones that change no other name. It reports false if there are none. The shortest words are tried first that hold what
// changes in one name; else names are learned from as the lines of a text are. Those that stay show what a rule must not
// change.
func Names(old, fresh []string) (joiners string, statements []string, ok bool) {
	l := &naming{fresh: map[string]string{}}
	for i := range old {
		if is, there := l.fresh[old[i]]; there && is != fresh[i] { // one name becomes two, or stays as well
			return "", nil, false
		}
		l.fresh[old[i]] = fresh[i]
	}
	tried := 0
	for i := range old {
		if old[i] == fresh[i] {
			continue
		}
		if joiners, statement, ok := l.word(old[i], fresh[i]); ok {
			return joiners, []string{statement}, true
		}
		if tried++; tried == maxTried {
			break
		}
	}
	return l.lines(old)
}

// maxTried is the number of names whose words are tried.
const maxTried = 20

// A naming is the names that are learned from, the new ones by the old ones.
type naming struct{ fresh map[string]string }

// word returns the replacement of one word, or of a few that touch, that makes all names.
func (l *naming) word(old, fresh string) (joiners, statement string, ok bool) {
	made := edit.One([]byte(old), []byte(fresh))
	if len(made) == 0 {
		return "", "", false
	}
	from, to := made[0].Start, made[0].End
	for range strings.Count(old, "") { // one word more on the left, then on the right, and so on
		from = wordStart(old, from)
		to = wordEnd(old, to)
		tail := len(old) - to
		if len(fresh)-tail < from {
			return "", "", false
		}
		was, is := old[from:to], fresh[from:len(fresh)-tail]
		if strings.ContainsFunc(was, unicode.IsLetter) && is != "" {
			for _, joining := range joining {
				statement := "replace word " + quoted(was) + " with " + quoted(is)
				if l.holds(joining, statement) {
					return joining, statement, true
				}
			}
		}
		if from == 0 && to == len(old) {
			break
		}
		if from > 0 {
			_, n := utf8.DecodeLastRuneInString(old[:from])
			from -= n
		} else {
			_, n := utf8.DecodeRuneInString(old[to:])
			to += n
		}
	}
	return "", "", false
}

// wordStart returns where the word begins that has a byte, or ends before it.
func wordStart(s string, at int) int {
	for at > 0 {
		r, n := utf8.DecodeLastRuneInString(s[:at])
		if !word.Is(r) {
			break
		}
		at -= n
	}
	return at
}

// wordEnd returns where the word ends that a byte is in.
func wordEnd(s string, at int) int {
	for at < len(s) {
		r, n := utf8.DecodeRuneInString(s[at:])
		if !word.Is(r) {
			break
		}
		at += n
	}
	return at
}

// holds reports whether a statement makes each new name of its old one.
func (l *naming) holds(joining, statement string) bool {
	text := statement
	if joining != "" {
		text = "joiners " + quoted(joining) + "\n" + text
	}
	s, problems := script.Parse("names", text)
	if len(problems.Errors()) > 0 {
		return false
	}
	p, _ := compile.Scripts([]*script.Script{s}, compile.Options{})
	if p == nil {
		return false
	}
	for old, fresh := range l.fresh {
		made := p.Run(program.Input{Text: []byte(old), File: program.File{Path: "names"}})
		if string(made.Edits.Apply([]byte(old))) != fresh {
			return false
		}
	}
	return true
}

// lines learns from names as from lines; those that change come first.
func (l *naming) lines(old []string) (joiners string, statements []string, ok bool) {
	var before, after bytes.Buffer
	seen := map[string]bool{}
	for _, changed := range []bool{true, false} {
		for _, name := range old {
			fresh := l.fresh[name]
			if (name != fresh) == changed && !seen[name] && len(seen) < maxNames && !strings.Contains(name+fresh, "\n") {
				seen[name] = true
				before.WriteString(name + "\n")
				after.WriteString(fresh + "\n")
			}
		}
	}
	learned, err := Rules([]Pair{{Name: "names", Old: before.Bytes(), New: after.Bytes()}})
	if err != nil || len(learned.Statements) == 0 {
		return "", nil, false
	}
	for _, s := range learned.Statements {
		onNames := strings.HasPrefix(s.Text, "replace ") || strings.HasPrefix(s.Text, "remove ")
		if s.How != General || s.File != "" || !onNames {
			return "", nil, false
		}
		statements = append(statements, s.Text)
	}
	return learned.Joiners, statements, true
}
