// Package inputfile reads files that a person or a project names: regular ones, of bounded size.
package inputfile

import (
	"errors"
	"fmt"
	"io"
	"os"
	"syscall"
)

// ErrNotRegular says that a path leads to a folder, a pipe, a socket or a device.
var ErrNotRegular = errors.New("this is no regular file")

// TooLargeError says that a file is larger than what is read of its kind.
type TooLargeError struct{ Limit int64 }

func (e *TooLargeError) Error() string {
	if e.Limit < 1<<20 {
		return fmt.Sprintf("the file is larger than %d kB", e.Limit>>10)
	}
	return fmt.Sprintf("the file is larger than %d MB", e.Limit>>20)
}

// Read gives a file's content, at most limit bytes of it: a larger file is a TooLargeError, and what is no file an
// ErrNotRegular. It never waits for a pipe's other end.
func Read(path string, limit int64) ([]byte, error) {
	// Without O_NONBLOCK opening a pipe waits until somebody writes to it.
	f, err := os.OpenFile(path, os.O_RDONLY|syscall.O_NONBLOCK, 0)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return ReadOpened(f, limit)
}

// ReadOpened is Read for a file that is open already.
func ReadOpened(f *os.File, limit int64) ([]byte, error) {
	info, err := f.Stat()
	switch {
	case err != nil:
		return nil, err
	case !info.Mode().IsRegular():
		return nil, &os.PathError{Op: "read", Path: f.Name(), Err: ErrNotRegular}
	case info.Size() > limit:
		return nil, &os.PathError{Op: "read", Path: f.Name(), Err: &TooLargeError{limit}}
	}
	// What the system calls a file may grow, or have no end at all.
	content := make([]byte, 0, info.Size()+1)
	for {
		n, err := f.Read(content[len(content):cap(content)])
		content = content[:len(content)+n]
		switch {
		case int64(len(content)) > limit:
			return nil, &os.PathError{Op: "read", Path: f.Name(), Err: &TooLargeError{limit}}
		case errors.Is(err, io.EOF):
			return content, nil
		case err != nil:
			return nil, err
		}
		if len(content) == cap(content) {
			content = append(content, 0)[:len(content)]
		}
	}
}
