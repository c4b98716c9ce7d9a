package learn

import (
	"bytes"
	"fmt"
	"strings"

	"frizzel/core/lines"
)

// moved proposes to move lines that are gone here and added elsewhere.
func (l *learner) moved(s *state, h hunk, old []string, where []string) bool {
	block := s.now[h.start:h.end]
	for _, other := range s.hunks {
		if other.start != other.end || !bytes.Equal(bytes.TrimRight(other.fresh, "\r\n"), bytes.TrimRight(block, "\r\n")) {
			continue
		}
		selected := make([]string, 0, 4)
		for _, p := range patterns(old[0]) {
			if len(old) == 1 {
				selected = append(selected, "on lines with "+p)
			}
			for _, q := range patterns(old[len(old)-1]) {
				if len(old) > 1 {
					selected = append(selected, "on lines from "+p+" to "+q)
				}
			}
		}
		var to []string
		if other.start > 0 {
			for _, p := range patterns(string(lines.Content(s.now[lines.Previous(s.now, 0, other.start):other.start]))) {
				to = append(to, "below first line with "+p, "below last line with "+p)
			}
		} else {
			to = append(to, "above first line")
		}
		if other.start == len(s.now) {
			to = append(to, "below last line")
		}
		for _, on := range selected {
			for _, dest := range to {
				if l.try(on+" move "+dest, General) {
					return true
				}
			}
		}
	}
	return false
}

// block proposes to rewrite several lines that became others.
func (l *learner) block(s *state, h hunk, old, fresh []string, where []string) bool {
	text := strings.Join(fresh, "\n")
	for _, place := range where {
		for _, first := range patterns(old[0]) {
			for _, last := range patterns(old[len(old)-1]) {
				on := "on lines from " + first + " to " + last
				if len(old) == 1 {
					on = "on lines with " + first
				}
				if l.try(place+on+" "+written("rewrite as", text), General) {
					return true
				}
			}
		}
	}
	return l.near(s, h, written("rewrite as", text), len(old), where)
}

// maxDistance is how many lines away a unique line may be that tells where another one is.
const maxDistance = 8

// near proposes an action for count lines right below or above one that is unique, or some lines away from it.
func (l *learner) near(s *state, h hunk, action string, count int, where []string) bool {
	for _, place := range where {
		up, down := h.start, h.end
		for away := count; away < count+maxDistance; away++ {
			if up > 0 {
				start := lines.Previous(s.now, 0, up)
				if l.from(s.now[start:up], place, "below", away, count, action) {
					return true
				}
				up = start
			}
			if down < len(s.now) {
				next := lines.Next(s.now, down, len(s.now))
				if l.from(s.now[down:next], place, "above", away, count, action) {
					return true
				}
				down = next
			}
		}
	}
	return false
}

// from proposes an action for count lines below or above a given line. away is the distance of the farthest, in lines.
func (l *learner) from(line []byte, place, side string, away, count int, action string) bool {
	unit, rest := "lines", ""
	if away == 1 {
		unit = "line"
	}
	if away > count {
		edge := map[string]string{"below": "last", "above": "first"}[side]
		if rest = fmt.Sprintf("on %s %d lines ", edge, count); count == 1 {
			rest = fmt.Sprintf("on %s line ", edge)
		}
	}
	for _, p := range patterns(string(lines.Content(line))) {
		if l.try(fmt.Sprintf("%son %d %s %s %s %s%s", place, away, unit, side, p, rest, action), ByLines) {
			return true
		}
	}
	return false
}
