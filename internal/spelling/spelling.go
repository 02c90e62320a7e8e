// Package spelling finds the word that was meant.
package spelling

import (
	"strings"
)

// Nearest gives the candidate that word was most probably meant to be, or "" when none is near.
func Nearest(word string, candidates []string) string { return Within(word, candidates, 3) }

// Within is Nearest with at most so many letters that differ.
func Within(word string, candidates []string, most int) string {
	best, bestDistance := "", min(len(word)/2, most)+1
	lower := strings.ToLower(strings.ReplaceAll(word, "-", "_"))
	for _, c := range candidates {
		d := distance(lower, strings.ToLower(strings.ReplaceAll(c, "-", "_")))
		if d < bestDistance || d == bestDistance && best != "" && common(c, word) > common(best, word) {
			best, bestDistance = c, d
		}
	}
	return best
}

// common is the length of the beginning that two words share.
func common(a, b string) int {
	n := 0
	for n < len(a) && n < len(b) && a[n] == b[n] {
		n++
	}
	return n
}

// distance is the number of insertions, deletions, replacements and swaps of neighbours between a and b.
func distance(a, b string) int {
	x, y := []rune(a), []rune(b)
	rows := make([][]int, len(x)+1)
	for i := range rows {
		rows[i] = make([]int, len(y)+1)
		rows[i][0] = i
	}
	for j := range rows[0] {
		rows[0][j] = j
	}
	for i := 1; i <= len(x); i++ {
		for j := 1; j <= len(y); j++ {
			cost := 1
			if x[i-1] == y[j-1] {
				cost = 0
			}
			rows[i][j] = min(rows[i-1][j]+1, rows[i][j-1]+1, rows[i-1][j-1]+cost)
			if i > 1 && j > 1 && x[i-1] == y[j-2] && x[i-2] == y[j-1] {
				rows[i][j] = min(rows[i][j], rows[i-2][j-2]+1)
			}
		}
	}
	return rows[len(x)][len(y)]
}
