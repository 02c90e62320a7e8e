package cli

import (
	"context"
	"errors"
	"fmt"
	"hash/fnv"
	"io/fs"
	"os"
	"path/filepath"
	"time"

	"tachyform/internal/fit"
	"tachyform/internal/project"
)

// watch runs once, and again whenever a file of the site or the project file has changed, until it is stopped.
func (a *app) watch(ctx context.Context, args []string, once func() error) error {
	p, name, err := a.load(args)
	if err != nil {
		return err
	}
	if isURL(name) {
		return usagef("--watch looks at the files of a folder; a live site has none")
	}
	var seen uint64
	for nextChange(ctx, name, p.Path, &seen) {
		if a.terminal {
			fmt.Fprint(a.screen, "\x1b[H\x1b[2J\x1b[3J")
		}
		start := time.Now()
		if err := fit.WaitUntilFree(ctx, fit.StateDir(p, name)); err != nil {
			return nil
		}
		err := once()
		if ctx.Err() != nil {
			return nil
		}
		if err != nil && !errors.Is(err, errFindings) {
			// A project file that is being edited may be wrong for a moment.
			a.status(err)
		}
		fmt.Fprintf(a.out, "\n  watching %s; judged at %s in %d ms. Ctrl-C ends it.\n", name, start.Format("15:04:05"),
			time.Since(start).Milliseconds())
	}
	return nil
}

// nextChange waits until the fingerprint of a folder differs from seen and a build has stopped writing, and updates seen. It reports
// false if the context ends before.
func nextChange(ctx context.Context, dir, projectFile string, seen *uint64) bool {
	const pause = 250 * time.Millisecond
	for before := *seen; ; {
		now := fingerprintOf(dir, projectFile)
		if now != *seen && now == before {
			*seen = now
			return true
		}
		before = now
		if !sleep(ctx, pause) {
			return false
		}
	}
}

// sleep waits, and says whether nobody stopped it.
func sleep(ctx context.Context, d time.Duration) bool {
	select {
	case <-ctx.Done():
		return false
	case <-time.After(d):
		return true
	}
}

// fingerprintOf sums up names, sizes and times of a folder's files and of the project file.
func fingerprintOf(dir, projectFile string) uint64 {
	h := fnv.New64a()
	note := func(path string, e fs.FileInfo) { fmt.Fprintln(h, path, e.Size(), e.ModTime().UnixNano()) }
	_ = filepath.WalkDir(dir, func(path string, e fs.DirEntry, err error) error {
		if err != nil {
			fmt.Fprintln(h, path, "cannot be read")
			return nil
		}
		if e.IsDir() {
			if n := e.Name(); path != dir && (n == ".git" || n == "node_modules" || n == project.StateDir) {
				return fs.SkipDir
			}
			return nil
		}
		if info, err := e.Info(); err == nil {
			note(path, info)
		}
		return nil
	})
	if info, err := os.Stat(projectFile); err == nil {
		note(projectFile, info)
	}
	return h.Sum64()
}
