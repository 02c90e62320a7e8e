package cli

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"

	"tachyform/internal/problem"
)

// writeOutput writes a file that somebody asked for, in one step: what was there stays whole until the new content is.
// what names it in the message of a failure, mend says where it could go instead.
func writeOutput(path string, content []byte, what, mend string) error {
	if err := replaceFile(path, content); err != nil {
		return &problem.Problem{Kind: problem.Write, Where: path, What: what + " cannot be written: " +
			problem.Innermost(err), Mend: mend, Cause: err}
	}
	return nil
}

func replaceFile(path string, content []byte) error {
	mode := fs.FileMode(0o644)
	target, err := filepath.EvalSymlinks(path)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		target = path
	case err != nil:
		return err
	default:
		info, err := os.Stat(target)
		if err != nil {
			return err
		}
		if !info.Mode().IsRegular() { // a terminal, a pipe: it takes the content as it comes
			return os.WriteFile(target, content, mode)
		}
		mode = info.Mode().Perm()
	}
	if err := os.MkdirAll(filepath.Dir(target), 0o755); err != nil {
		return err
	}
	part, err := os.CreateTemp(filepath.Dir(target), ".tachyform-*")
	if err != nil {
		return err
	}
	_, err = part.Write(content)
	if err == nil {
		err = part.Chmod(mode)
	}
	if closeErr := part.Close(); err == nil {
		err = closeErr
	}
	if err == nil {
		err = os.Rename(part.Name(), target)
	}
	if err != nil {
		return errors.Join(err, os.Remove(part.Name()))
	}
	return nil
}
