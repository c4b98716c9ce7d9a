package script

import (
	"slices"

	"github.com/agext/levenshtein"
)

// Nearest returns the known word that a mistyped one most likely meant, or "" where
// none is near: two neighbouring letters swapped, or at most a third of the letters
// wrong.
func Nearest(word string, known []string) string {
	for i := range max(len(word)-1, 0) {
		swapped := []byte(word)
		swapped[i], swapped[i+1] = swapped[i+1], swapped[i]
		if slices.Contains(known, string(swapped)) {
			return string(swapped)
		}
	}
	best, least := "", max(len([]rune(word))/3, 1)+1
	for _, k := range known {
		if d := levenshtein.Distance(word, k, nil); d < least {
			best, least = k, d
		}
	}
	return best
}

// Meant returns the remedy for a mistyped word, which asks for the nearest known one, and that word; otherwise and ""
// if none is near.
func Meant(word string, known []string, otherwise string) (remedy, near string) {
	if near = Nearest(word, known); near == "" || near == word {
		return otherwise, ""
	}
	return meant + near + "?", near
}

func didYouMean(word string, known []string) string {
	remedy, _ := Meant(word, known, "")
	return remedy
}
