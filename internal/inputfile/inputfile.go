// Package inputfile reads files that a person or a project names: regular ones, of bounded size.
package inputfile

import (
	"crypto/sha256"
	"errors"
	"fmt"
	"io"
	"os"
	"sync"
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

// Without O_NONBLOCK opening a pipe waits until somebody writes to it.
const flags = os.O_RDONLY | syscall.O_NONBLOCK

// Open opens a regular file. Anything else is ErrNotRegular. It never waits for a pipe's other end.
func Open(path string) (*os.File, error) {
	f, err := os.OpenFile(path, flags, 0)
	if err != nil {
		return nil, err
	}
	return checked(f)
}

// OpenIn is Open for a file below a folder that no link may lead out of.
func OpenIn(root *os.Root, name string) (*os.File, error) {
	f, err := root.OpenFile(name, flags, 0)
	if err != nil {
		return nil, err
	}
	return checked(f)
}

func checked(f *os.File) (*os.File, error) {
	info, err := f.Stat()
	if err == nil && !info.Mode().IsRegular() {
		err = &os.PathError{Op: "read", Path: f.Name(), Err: ErrNotRegular}
	}
	if err != nil {
		f.Close()
		return nil, err
	}
	return f, nil
}

// Read returns a file's content, at most limit bytes of it: a larger file is a TooLargeError, and what is not a regular
// file ErrNotRegular.
func Read(path string, limit int64) ([]byte, error) {
	f, err := Open(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return ReadOpened(f, limit)
}

// ReadIn is Read for a file below a folder that no link may lead out of.
func ReadIn(root *os.Root, name string, limit int64) ([]byte, error) {
	f, err := OpenIn(root, name)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return ReadOpened(f, limit)
}

// ListIn returns the entries of a folder below another, none if it is not a folder.
func ListIn(root *os.Root, name string) ([]os.DirEntry, error) {
	dir, err := root.OpenFile(name, flags, 0)
	if err != nil {
		return nil, err
	}
	defer dir.Close()
	return dir.ReadDir(-1)
}

var buffers = sync.Pool{New: func() any { b := make([]byte, 128<<10); return &b }}

// Digest returns the SHA-256 of a file's content and its size in bytes, without keeping the content in memory.
func Digest(path string) (sum [sha256.Size]byte, size int64, err error) {
	f, err := Open(path)
	if err != nil {
		return sum, 0, err
	}
	defer f.Close()
	buffer := buffers.Get().(*[]byte)
	defer buffers.Put(buffer)
	h := sha256.New()
	// Only Read is called, so that the copy goes through the buffer.
	size, err = io.CopyBuffer(h, struct{ io.Reader }{f}, *buffer)
	h.Sum(sum[:0])
	return sum, size, err
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
