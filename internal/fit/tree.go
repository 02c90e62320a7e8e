package fit

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path"
	"syscall"

	"tachyform/internal/inputfile"
)

// tree is a folder below which files are read and written, and outside of which nothing is, whatever links lie in it
// (os.Root).
type tree struct{ *os.Root }

func openTree(dir string) (tree, error) {
	root, err := os.OpenRoot(dir)
	return tree{root}, err
}

// fileLimit bounds what is read of one file, in bytes.
const fileLimit = 1 << 30

// What stands at a path, if it is no file: digests are compared with these as with those of files.
const (
	absent  = ""        // nothing
	foreign = "foreign" // a folder, a link, or something that can't be looked at below the tree
)

func digest(content []byte) string {
	s := sha256.Sum256(content)
	return hex.EncodeToString(s[:])
}

func isDigest(s string) bool {
	b, err := hex.DecodeString(s)
	return err == nil && len(b) == sha256.Size
}

// digestAt is the SHA-256 of the file at a path, absent or foreign. The error is of a file that is there and can't be
// read.
func (t tree) digestAt(name string) (string, error) {
	info, err := t.Lstat(name)
	switch {
	case errors.Is(err, fs.ErrNotExist), errors.Is(err, syscall.ENOTDIR):
		return absent, nil
	case errors.Is(err, fs.ErrPermission):
		return foreign, err
	case err != nil, !info.Mode().IsRegular():
		return foreign, nil
	}
	content, err := t.read(name)
	if err != nil {
		return foreign, err
	}
	return digest(content), nil
}

// read gives the content of a regular file that is no link.
func (t tree) read(name string) ([]byte, error) {
	if info, err := t.Lstat(name); err != nil {
		return nil, err
	} else if !info.Mode().IsRegular() {
		return nil, &fs.PathError{Op: "read", Path: name, Err: inputfile.ErrNotRegular}
	}
	f, err := t.OpenFile(name, os.O_RDONLY|syscall.O_NONBLOCK, 0)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return inputfile.ReadOpened(f, fileLimit)
}

// create writes a new file and has the system put it on the disk; it fails where anything stands already.
func (t tree) create(name string, content []byte, mode fs.FileMode) error {
	if err := t.MkdirAll(path.Dir(name), 0o755); err != nil {
		return err
	}
	f, err := t.OpenFile(name, os.O_WRONLY|os.O_CREATE|os.O_EXCL, mode)
	if err != nil {
		return err
	}
	_, err = f.Write(content)
	if err == nil {
		err = f.Chmod(mode) // whatever the umask took away
	}
	if err == nil {
		err = f.Sync()
	}
	if closeErr := f.Close(); err == nil {
		err = closeErr
	}
	if err != nil {
		err = errors.Join(err, t.Remove(name))
	}
	return err
}

// errChanged says that a file is no longer what it was when the change was worked out.
type errChanged struct{ name string }

func (e errChanged) Error() string { return e.name + " changed meanwhile" }

// exchange gives the file at a path its new content in one step, if before is still the digest of what stands there:
// the content is written under another name in the same folder first, then moved into place.
func (t tree) exchange(name, temporary, before string, content []byte, mode fs.FileMode) error {
	temporary = path.Join(path.Dir(name), temporary)
	if err := t.create(temporary, content, mode); err != nil {
		return err
	}
	now, err := t.digestAt(name)
	if err == nil && now != before {
		err = errChanged{name}
	}
	if err == nil {
		err = t.Rename(temporary, name)
	}
	if err != nil {
		return errors.Join(err, t.Remove(temporary))
	}
	return nil
}

// removePart removes the beginning of a file that a killed run left under a temporary name: only what content begins
// with is ours.
func (t tree) removePart(name string, content []byte) {
	f, err := t.OpenFile(name, os.O_RDONLY|syscall.O_NONBLOCK, 0)
	if err != nil {
		return
	}
	there, err := io.ReadAll(io.LimitReader(f, int64(len(content))+1))
	f.Close()
	if err == nil && len(there) <= len(content) && string(there) == string(content[:len(there)]) {
		_ = t.Remove(name) // when it can't be removed, it only takes room
	}
}

// sync has the system put a folder's names on the disk.
func (t tree) sync(dir string) error {
	d, err := t.Open(dir)
	if err != nil {
		return err
	}
	defer d.Close()
	if err := d.Sync(); err != nil && !errors.Is(err, errors.ErrUnsupported) && !errors.Is(err, fs.ErrInvalid) {
		return err
	}
	return nil
}

// checkTarget says why a file of the site, by its path relative to the folder, can't be written: a link stands in its
// place or on the way and might lead elsewhere, or a folder does. It gives nil where a file may be written.
func (t tree) checkTarget(name string) error {
	info, err := t.Lstat(name)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return nil
	case errors.Is(err, syscall.ENOTDIR):
		return fmt.Errorf("a file stands where a folder has to be")
	case err != nil:
		return fmt.Errorf("a link on the way leads out of the site's folder, or cannot be followed")
	case info.Mode()&fs.ModeSymlink != 0:
		return fmt.Errorf("a symbolic link stands there")
	case info.IsDir():
		return fmt.Errorf("a folder stands there")
	case !info.Mode().IsRegular():
		return fmt.Errorf("something stands there that is no file")
	}
	return nil
}
