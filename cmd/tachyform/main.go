// Command tachyform makes a site installable and usable offline, and proves that it is.
package main

import (
	"os"
	"runtime/debug"

	"tachyform/internal/cli"
)

// collectAt is how many percent of what lives may come on top before memory is collected: of a large site much lives as
// long as its audit, and collecting twice as often costs little.
const collectAt = 50

func main() {
	debug.SetGCPercent(collectAt)
	os.Exit(cli.Main(os.Args[1:], os.Stdin, os.Stdout, os.Stderr))
}
