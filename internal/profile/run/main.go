// Command run profiles audits of a site or of the demo: see package profile.
package main

import (
	"flag"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"time"

	"tachyform/internal/cli"
	"tachyform/internal/profile"
)

func main() {
	least := flag.Duration("for", 10*time.Second, "repeat the audit for this long")
	flag.Parse()
	if err := run(flag.Arg(0), *least); err != nil {
		fmt.Fprintln(os.Stderr, "profile:", err)
		os.Exit(1)
	}
}

// run audits the site in a folder, or the demo if dir is empty, and prints where the time went.
func run(dir string, least time.Duration) error {
	modules, err := profile.UseLines("internal/useragent/environment")
	if err != nil {
		return err
	}
	if dir == "" {
		temporary, err := os.MkdirTemp("", "profile-")
		if err != nil {
			return err
		}
		defer os.RemoveAll(temporary)
		dir = filepath.Join(temporary, "demo")
		if status := cli.Main([]string{"demo", "--into", dir}, nil, io.Discard, os.Stderr); status != 0 {
			return fmt.Errorf("the demo ended with status %d", status)
		}
	}
	if err := os.Chdir(dir); err != nil {
		return err
	}
	args := []string{"audit"}
	if _, err := os.Stat("tachyform.yaml"); err != nil {
		args = append(args, ".")
	}
	const couldNotAudit = 2 // and what is above; 1 is what an audit with findings ends with
	report, err := profile.Take(modules, least, func() error {
		if status := cli.Main(args, nil, io.Discard, io.Discard); status >= couldNotAudit {
			return fmt.Errorf("tachyform audit ended with status %d in %s", status, dir)
		}
		return nil
	})
	if err != nil {
		return err
	}
	return report.Write(os.Stdout)
}
