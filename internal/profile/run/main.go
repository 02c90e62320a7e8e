// Command run profiles what a command does for a site or for the demo: see package profile. Its arguments are the folder, and the
// command with its arguments; without these it profiles "audit".
package main

import (
	"flag"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"time"

	"tachyform/internal/cli"
	"tachyform/internal/profile"
)

func main() {
	least := flag.Duration("for", 10*time.Second, "repeat the command for this long")
	raw := flag.String("go", "", "also write the profile of processor time to this file, for go tool pprof")
	flag.Parse()
	dir, command := flag.Arg(0), []string{"audit"}
	if flag.NArg() > 1 {
		command = flag.Args()[1:]
	}
	if err := run(dir, command, *least, *raw); err != nil {
		fmt.Fprintln(os.Stderr, "profile:", err)
		os.Exit(1)
	}
}

// run repeats a command in a folder, or in that of the demo if dir is empty, and prints where the time went. It writes the raw
// profile to a file, if one is named.
func run(dir string, command []string, least time.Duration, raw string) error {
	if raw != "" {
		var err error
		if raw, err = filepath.Abs(raw); err != nil {
			return err
		}
	}
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
	if _, err := os.Stat("tachyform.yaml"); err != nil && len(command) == 1 {
		command = append(command, ".")
	}
	const failed = 2 // and what is above; 1 is what an audit with findings ends with
	report, err := profile.Take(modules, least, func() error {
		if status := cli.Main(command, nil, io.Discard, io.Discard); status >= failed {
			return fmt.Errorf("tachyform %s ended with status %d in %s", strings.Join(command, " "), status, dir)
		}
		return nil
	})
	if err != nil {
		return err
	}
	if raw != "" {
		if err := os.WriteFile(raw, report.Go, 0o644); err != nil {
			return err
		}
	}
	return report.Write(os.Stdout)
}
