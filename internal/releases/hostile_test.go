//go:build unix

package releases

import (
	"archive/zip"
	"context"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// within fails the test if something does not end: a pipe that is waited for.
func within(t *testing.T, what string, do func()) {
	t.Helper()
	done := make(chan bool)
	go func() { defer close(done); do() }()
	select {
	case <-done:
	case <-time.After(20 * time.Second):
		t.Fatal(what + " does not end")
	}
}

// Records that came along with somebody's project may be anything.
func TestPipesAmongRecords(t *testing.T) {
	s := store(t, 0, 0)
	first := folder(t, map[string]string{"index.html": "one"})
	r, err := s.Record(context.Background(), first, true)
	require.NoError(t, err)
	second := folder(t, map[string]string{"index.html": "two"})
	in := func(parts ...string) string {
		return filepath.Join(append([]string{s.dir, folderName}, parts...)...)
	}
	pipe := func(parts ...string) {
		require.NoError(t, os.RemoveAll(in(parts...)))
		require.NoError(t, syscall.Mkfifo(in(parts...), 0o600))
	}
	pipe("0123456789abcdef.json")
	within(t, "a record", func() {
		found, err := s.Before(context.Background(), second)
		assert.NoError(t, err)
		assert.Equal(t, r.ID, found.ID)
	})
	pipe(liveName)
	within(t, "the mark", func() {
		found, err := s.Before(context.Background(), second)
		assert.NoError(t, err)
		assert.Equal(t, r.ID, found.ID)
		_, err = s.Record(context.Background(), second, true)
		assert.NoError(t, err)
	})
	pipe(objectsName, r.Files[0].Hash)
	within(t, "a content", func() {
		_, err := s.Lay(r, nil)
		assert.ErrorContains(t, err, "cannot be taken out")
	})
	file := filepath.Join(t.TempDir(), "old")
	require.NoError(t, syscall.Mkfifo(file, 0o600))
	within(t, "a file", func() {
		_, err := Unpack(file, nil)
		assert.ErrorContains(t, err, "no release that can be read")
	})
	require.NoError(t, os.RemoveAll(in(objectsName)))
	require.NoError(t, syscall.Mkfifo(in(objectsName), 0o600))
	within(t, "the folder of contents", func() {
		_, err := s.Record(context.Background(), folder(t, map[string]string{"index.html": "three"}), true)
		assert.Error(t, err)
	})
}

// What stands for contents that were not kept takes hardly any room, and there is a limit to it.
func TestBombs(t *testing.T) {
	bomb := func(files int) string {
		file := filepath.Join(t.TempDir(), "bomb.zip")
		out, err := os.Create(file)
		require.NoError(t, err)
		defer out.Close()
		z := zip.NewWriter(out)
		w, err := z.Create(recordName)
		require.NoError(t, err)
		r := Release{ID: "0000000000000000"}
		for i := range files {
			r.Files = append(r.Files, File{Path: fmt.Sprintf("f/%d.png", i), Hash: fmt.Sprintf("%064x", i), Size: 1 << 40})
		}
		require.NoError(t, json.NewEncoder(w).Encode(r))
		require.NoError(t, z.Close())
		return file
	}
	t.Setenv("TMPDIR", t.TempDir())
	dir, err := Unpack(bomb(50), nil)
	require.NoError(t, err)
	var blocks int64
	list, err := filepath.Glob(filepath.Join(dir, "f", "*"))
	require.NoError(t, err)
	for _, name := range list {
		info, err := os.Stat(name)
		require.NoError(t, err)
		assert.Equal(t, int64(mostFilling), info.Size())
		blocks += info.Sys().(*syscall.Stat_t).Blocks * 512
	}
	assert.Less(t, blocks, int64(1<<20))
	require.NoError(t, os.RemoveAll(dir))
	_, err = Unpack(bomb(mostFiles+1), nil)
	assert.ErrorContains(t, err, "more than 200000 files")
	left, err := os.ReadDir(os.Getenv("TMPDIR"))
	require.NoError(t, err)
	assert.Empty(t, left, "nothing stays after an error")
	_, err = lay(&Release{Files: []File{{Path: "a", Hash: strings.Repeat("0", 64)}, {Path: "a", Hash: strings.Repeat("1", 64)}}}, nil, nil)
	assert.ErrorContains(t, err, "twice")
}

// A release is written over a name that nobody else uses.
func TestPackOverOtherFiles(t *testing.T) {
	file := filepath.Join(t.TempDir(), "one.release")
	require.NoError(t, os.WriteFile(file+".part", []byte("mine"), 0o644))
	require.NoError(t, Pack(context.Background(), folder(t, map[string]string{"index.html": "one"}), file))
	mine, err := os.ReadFile(file + ".part")
	require.NoError(t, err)
	assert.Equal(t, "mine", string(mine))
}
