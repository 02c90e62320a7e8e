// Package outputfile writes files so that they are there completely or not at all, over temporary names that nobody
// else uses.
package outputfile

import (
	"crypto/rand"
	"encoding/hex"
	"errors"
	"io"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"strings"
)

// prefix is what temporary names begin with; the rest is random.
const prefix = ".tachyform-"

// IsTemporary reports that a file name is one that a run which was killed may have left behind.
func IsTemporary(name string) bool { return strings.HasPrefix(name, prefix) }

func temporaryName() string {
	b := make([]byte, 8)
	_, _ = rand.Read(b) // it never fails
	return prefix + hex.EncodeToString(b)
}

// Write replaces the file at a path by what write writes. A link in its place is replaced, not followed. After an error
// the path is as it was, and no temporary file stays.
func Write(file string, mode fs.FileMode, write func(io.Writer) error) error {
	temporary := filepath.Join(filepath.Dir(file), temporaryName())
	f, err := os.OpenFile(temporary, os.O_WRONLY|os.O_CREATE|os.O_EXCL, mode)
	if err != nil {
		return err
	}
	if err = finish(f, write); err == nil {
		err = os.Rename(temporary, file)
	}
	if err != nil {
		err = errors.Join(err, os.Remove(temporary))
	}
	return err
}

// WriteIn is Write for a file below a folder that no link may lead out of, with its content.
func WriteIn(root *os.Root, name string, mode fs.FileMode, content []byte) error {
	temporary := path.Join(path.Dir(name), temporaryName())
	f, err := root.OpenFile(temporary, os.O_WRONLY|os.O_CREATE|os.O_EXCL, mode)
	if err != nil {
		return err
	}
	if err = finish(f, func(w io.Writer) error { _, err := w.Write(content); return err }); err == nil {
		err = root.Rename(temporary, name)
	}
	if err != nil {
		err = errors.Join(err, root.Remove(temporary))
	}
	return err
}

func finish(f *os.File, write func(io.Writer) error) (err error) {
	defer func() {
		if closeErr := f.Close(); err == nil {
			err = closeErr
		}
	}()
	return write(f)
}
