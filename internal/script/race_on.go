//go:build race

package script

// Slower is how many times longer everything takes under the race detector, as far as limits of time are concerned.
const Slower = 20
