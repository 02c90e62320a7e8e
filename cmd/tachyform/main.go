// Command tachyform makes a site installable and usable offline, and proves that it is.
package main

import (
	"os"

	"tachyform/internal/cli"
)

func main() {
	os.Exit(cli.Main(os.Args[1:], os.Stdin, os.Stdout, os.Stderr))
}
