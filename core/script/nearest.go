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

// didYouMean words the remedy for a mistyped word.
func didYouMean(word string, known []string) string {
	if near := Nearest(word, known); near != "" && near != word {
		return meant + near + "?"
	}
	return ""
}
