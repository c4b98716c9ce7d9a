package script

import "github.com/agext/levenshtein"

// Nearest returns the known word that a mistyped one most likely meant, or "" where
// none is near: at most a third of the letters wrong, two neighbouring letters swapped
// counting as two.
func Nearest(word string, known []string) string {
	best, least := "", len([]rune(word))/3+1
	for _, k := range known {
		if d := levenshtein.Distance(word, k, nil); d < least || d == least && best == "" {
			best, least = k, d
		}
	}
	return best
}

// didYouMean words the remedy for a mistyped word.
func didYouMean(word string, known []string) string {
	if near := Nearest(word, known); near != "" {
		return "did you mean " + near + "?"
	}
	return ""
}
