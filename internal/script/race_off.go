//go:build !race

package script

// slower is how many times longer everything takes, as far as limits of time are concerned.
const slower = 1
