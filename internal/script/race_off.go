//go:build !race

package script

// Slower is how many times longer everything takes, as far as limits of time are concerned.
const Slower = 1
