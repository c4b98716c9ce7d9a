package script

// Nearest returns the known word that a mistyped one most likely meant, or "" where
// none is near: at most a third of the letters wrong, counted as Levenshtein
// counts them, with two neighbouring letters swapped as one mistake.
func Nearest(word string, known []string) string {
	best, bestDistance := "", len([]rune(word))/3+1
	for _, k := range known {
		if d := distance(word, k); d < bestDistance || d == bestDistance && best == "" {
			best, bestDistance = k, d
		}
	}
	return best
}

// distance is the optimal string alignment distance, by dynamic programming over
// three rows.
func distance(a, b string) int {
	from, to := []rune(a), []rune(b)
	before, above, row := make([]int, len(to)+1), make([]int, len(to)+1), make([]int, len(to)+1)
	for j := range above {
		above[j] = j
	}
	for i := range from {
		row[0] = i + 1
		for j := range to {
			cost := 1
			if from[i] == to[j] {
				cost = 0
			}
			row[j+1] = min(above[j+1]+1, row[j]+1, above[j]+cost)
			if i > 0 && j > 0 && from[i] == to[j-1] && from[i-1] == to[j] {
				row[j+1] = min(row[j+1], before[j-1]+1)
			}
		}
		before, above, row = above, row, before
	}
	return above[len(to)]
}

// didYouMean words the remedy for a mistyped word.
func didYouMean(word string, known []string) string {
	if near := Nearest(word, known); near != "" {
		return "did you mean " + near + "?"
	}
	return ""
}
