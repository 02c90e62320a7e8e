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
	// Refused is a site that does not keep to what its project file demands; nothing was written.
	Refused
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

// Innermost is the text of the error at the bottom of a chain: what went wrong, without what it was wrapped in on the
// way.
func Innermost(err error) string {
	for {
		inner := errors.Unwrap(err)
		if inner == nil {
			return err.Error()
		}
		err = inner
	}
}
