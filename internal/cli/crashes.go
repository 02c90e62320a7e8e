package cli

import (
	"bytes"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"runtime"

	"tachyform/internal/crash"
	"tachyform/internal/problem"
	"tachyform/internal/project"
	"tachyform/internal/report"
)

// reportCrashes writes the stacks of internal errors to a new file and asks on standard error to report them.
func (a *app) reportCrashes(list []*crash.Crash) {
	if len(list) == 0 {
		return
	}
	file, err := writeCrashes(a.stateDir, list)
	p := &problem.Problem{What: list[0].Error() + "; what it affected is reported as unknown", Where: file,
		Mend: "report the error and attach this file; it contains nothing from the site"}
	if err != nil {
		p.Where, p.Mend = "", "report the error: "+list[0].What
	}
	fmt.Fprintln(a.err, report.Problem(p, a.width))
}

// writeCrashes writes to the state folder of a project, or to the folder of temporary files if there is no project or
// its state folder cannot be used.
func writeCrashes(stateDir string, list []*crash.Crash) (file string, err error) {
	var text bytes.Buffer
	fmt.Fprintf(&text, "tachyform %s, %s, %s/%s\n", Version(), runtime.Version(), runtime.GOOS, runtime.GOARCH)
	for _, c := range list {
		fmt.Fprintf(&text, "\n%s\n%s", c.What, c.Stack)
	}
	const pattern = "crash-*.txt"
	var f *os.File
	if stateDir != "" && makeFolder(stateDir) == nil {
		f, _ = os.CreateTemp(stateDir, pattern)
	}
	if f == nil {
		if f, err = os.CreateTemp("", project.StateDir[1:]+"-"+pattern); err != nil {
			return "", err
		}
	}
	_, err = f.Write(text.Bytes())
	if closeErr := f.Close(); err == nil {
		err = closeErr
	}
	return f.Name(), err
}

// makeFolder makes a folder; a link in its place is an error, since it may lead anywhere.
func makeFolder(dir string) error {
	if info, err := os.Lstat(dir); err == nil && !info.IsDir() {
		return &fs.PathError{Op: "open", Path: dir, Err: fs.ErrInvalid}
	}
	return os.MkdirAll(filepath.Clean(dir), 0o755)
}
