package outputfile

import (
	"errors"
	"io"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A file is replaced completely or not at all; links are not followed, and nothing temporary stays.
func TestWrite(t *testing.T) {
	dir := t.TempDir()
	at := func(name string) string { return filepath.Join(dir, name) }
	text := func(name string) string {
		b, err := os.ReadFile(at(name))
		require.NoError(t, err)
		return string(b)
	}
	say := func(text string) func(io.Writer) error {
		return func(w io.Writer) error { _, err := io.WriteString(w, text); return err }
	}
	require.NoError(t, os.WriteFile(at("mine"), []byte("mine"), 0o600))
	require.NoError(t, os.Symlink("mine", at("link")))
	require.NoError(t, Write(at("new"), 0o644, say("one")))
	require.NoError(t, Write(at("new"), 0o644, say("two")))
	require.NoError(t, Write(at("link"), 0o644, say("three")))
	assert.Equal(t, "two", text("new"))
	assert.Equal(t, "mine", text("mine"))
	assert.Equal(t, "three", text("link"))
	info, err := os.Lstat(at("link"))
	require.NoError(t, err)
	assert.True(t, info.Mode().IsRegular())

	broken := errors.New("the disk is full")
	assert.ErrorIs(t, Write(at("new"), 0o644, func(w io.Writer) error { _, _ = io.WriteString(w, "half"); return broken }), broken)
	assert.Equal(t, "two", text("new"))
	assert.Error(t, Write(at("none/x"), 0o644, say("x")))

	root, err := os.OpenRoot(dir)
	require.NoError(t, err)
	defer root.Close()
	require.NoError(t, root.Mkdir("in", 0o755))
	require.NoError(t, WriteIn(root, "in/file", 0o644, []byte("four")))
	assert.Equal(t, "four", text("in/file"))
	assert.Error(t, WriteIn(root, "../out", 0o644, nil))
	for _, folder := range []string{".", "in"} {
		entries, err := os.ReadDir(at(folder))
		require.NoError(t, err)
		for _, e := range entries {
			assert.False(t, IsTemporary(e.Name()), e.Name())
		}
	}
	assert.True(t, IsTemporary(temporaryName()))
	assert.NotEqual(t, temporaryName(), temporaryName())
}
