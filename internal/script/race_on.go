//go:build race

package script

// slower is how many times longer everything takes under the race detector, as far as limits of time are concerned.
const slower = 20
