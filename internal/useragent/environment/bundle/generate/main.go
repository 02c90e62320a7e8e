// Command generate writes the bytecode of every environment beside its sources; go generate runs it in their folder.
package main

import (
	"fmt"
	"os"

	"tachyform/internal/useragent/environment/bundle"
)

func main() {
	for _, name := range bundle.Environments {
		code, err := bundle.Bytecode(".", name)
		if err == nil {
			err = os.WriteFile(name+".bytecode", code, 0o644)
		}
		if err != nil {
			fmt.Fprintf(os.Stderr, "%s: %v\n", name, err)
			os.Exit(1)
		}
	}
}
