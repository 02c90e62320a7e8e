//go:build unix

package inputfile

import (
	"crypto/sha256"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestRead(t *testing.T) {
	dir := t.TempDir()
	at := func(name string) string { return filepath.Join(dir, name) }
	require.NoError(t, os.WriteFile(at("small"), []byte("tide"), 0o600))
	require.NoError(t, os.WriteFile(at("large"), []byte(strings.Repeat("x", 2<<20+1)), 0o600))
	require.NoError(t, syscall.Mkfifo(at("pipe"), 0o600))
	require.NoError(t, os.Symlink("/dev/zero", at("endless")))
	require.NoError(t, os.Symlink("small", at("link")))
	for name, want := range map[string]error{"small": nil, "link": nil, "large": &TooLargeError{2 << 20},
		"pipe": ErrNotRegular, "endless": ErrNotRegular, ".": ErrNotRegular, "nowhere": os.ErrNotExist} {
		type result struct {
			text []byte
			err  error
		}
		done := make(chan result, 1)
		go func() {
			text, err := Read(at(name), 2<<20)
			done <- result{text, err}
		}()
		select {
		case r := <-done:
			var large *TooLargeError
			switch {
			case want == nil:
				require.NoError(t, r.err, name)
				assert.Equal(t, "tide", string(r.text), name)
			case errors.As(want, &large):
				assert.ErrorContains(t, r.err, "larger than 2 MB", name)
			default:
				assert.ErrorIs(t, r.err, want, name)
			}
		case <-time.After(5 * time.Second):
			t.Fatal(name + ": reading it does not end")
		}
	}
	// A file of the system that says it is empty is still read to its end.
	if text, err := Read("/proc/self/status", 1<<20); err == nil {
		assert.NotEmpty(t, text)
	}
}

// Below a folder the same holds, and no link leads out of it.
func TestReadIn(t *testing.T) {
	dir := t.TempDir()
	outside := filepath.Join(t.TempDir(), "outside")
	require.NoError(t, os.WriteFile(outside, []byte("tide"), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "small"), []byte("tide"), 0o600))
	require.NoError(t, os.Symlink(outside, filepath.Join(dir, "out")))
	require.NoError(t, syscall.Mkfifo(filepath.Join(dir, "pipe"), 0o600))
	root, err := os.OpenRoot(dir)
	require.NoError(t, err)
	defer root.Close()
	text, err := ReadIn(root, "small", 4)
	require.NoError(t, err)
	assert.Equal(t, "tide", string(text))
	_, err = ReadIn(root, "small", 3)
	assert.ErrorAs(t, err, new(*TooLargeError))
	_, err = ReadIn(root, "pipe", 4)
	assert.ErrorIs(t, err, ErrNotRegular)
	_, err = ReadIn(root, "out", 4)
	assert.Error(t, err)
	_, err = ListIn(root, "pipe")
	assert.Error(t, err)
	list, err := ListIn(root, ".")
	require.NoError(t, err)
	assert.Len(t, list, 3)
	sum, size, err := Digest(filepath.Join(dir, "small"))
	require.NoError(t, err)
	assert.Equal(t, int64(4), size)
	assert.Equal(t, sha256.Sum256([]byte("tide")), sum)
	_, _, err = Digest(filepath.Join(dir, "pipe"))
	assert.ErrorIs(t, err, ErrNotRegular)
}
