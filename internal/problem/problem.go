// Package problem holds the one error form that people see: what is wrong, where, and how to mend it.
package problem

import (
	"errors"
	"strings"
)

// Kind tells who has to act, and so which exit status the program ends with.
type Kind int

const (
	// Usage is a wrong option, argument or project file.
	Usage Kind = iota
	// Read is a site, page or picture that could not be read or used.
	Read
	// Write is a change that could not be written; nothing of it remains.
	Write
)

// Problem is an error with its place and its mend. Where and Mend may be empty.
type Problem struct {
	Kind  Kind
	What  string
	Where string
	Mend  string
	Cause error
}

// Error gives the whole message on one line.
func (p *Problem) Error() string {
	var b strings.Builder
	if p.Where != "" {
		b.WriteString(p.Where + ": ")
	}
	b.WriteString(p.What)
	if p.Mend != "" {
		b.WriteString(" (" + p.Mend + ")")
	}
	return b.String()
}

// Unwrap gives the error that caused the problem, if one did.
func (p *Problem) Unwrap() error { return p.Cause }

// List is several problems found in one go, in the order of their places.
type List []*Problem

func (l List) Error() string {
	parts := make([]string, len(l))
	for i, p := range l {
		parts[i] = p.Error()
	}
	return strings.Join(parts, "\n")
}

// Or gives the list as an error, or nil when it is empty.
func (l List) Or() error {
	if len(l) == 0 {
		return nil
	}
	return l
}

// All takes an error apart into problems. An error of another kind becomes a Read problem.
func All(err error) []*Problem {
	var list List
	if errors.As(err, &list) {
		return list
	}
	var p *Problem
	if errors.As(err, &p) {
		return []*Problem{p}
	}
	return []*Problem{{Kind: Read, What: err.Error(), Cause: err}}
}

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

// Innermost is the text of the error at the bottom of a chain: what went wrong, without what it was wrapped in on the way.
func Innermost(err error) string {
	for {
		inner := errors.Unwrap(err)
		if inner == nil {
			return err.Error()
		}
		err = inner
	}
}
