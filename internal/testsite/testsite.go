// Package testsite lays out sites for tests.
package testsite

import (
	"io/fs"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"
	"golang.org/x/tools/txtar"
)

// Write lays out files, named by path with forward slashes, below a new temporary folder and gives the folder.
func Write(t testing.TB, files map[string]string) string {
	t.Helper()
	dir := t.TempDir()
	Add(t, dir, files)
	return dir
}

// Archive lays out the files of a txtar archive as Write does.
func Archive(t testing.TB, archive string) string {
	t.Helper()
	files := map[string]string{}
	for _, f := range txtar.Parse([]byte(archive)).Files {
		files[f.Name] = string(f.Data)
	}
	return Write(t, files)
}

// Add writes files below a folder, over those that are there.
func Add(t testing.TB, dir string, files map[string]string) {
	t.Helper()
	for name, text := range files {
		path := filepath.Join(dir, filepath.FromSlash(name))
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
		require.NoError(t, os.WriteFile(path, []byte(text), 0o644))
	}
}

// Read gives the content of every file below a folder by its path. Links are given as "link to" and their target.
func Read(t testing.TB, dir string) map[string]string {
	t.Helper()
	files := map[string]string{}
	require.NoError(t, filepath.WalkDir(dir, func(path string, e fs.DirEntry, err error) error {
		if err != nil || e.IsDir() {
			return err
		}
		name, err := filepath.Rel(dir, path)
		if err != nil {
			return err
		}
		if e.Type()&fs.ModeSymlink != 0 {
			target, err := os.Readlink(path)
			files[filepath.ToSlash(name)] = "link to " + target
			return err
		}
		text, err := os.ReadFile(path)
		files[filepath.ToSlash(name)] = string(text)
		return err
	}))
	return files
}

// Tree gives what Read gives, and every folder by its path with a slash after it.
func Tree(t testing.TB, dir string) map[string]string {
	t.Helper()
	tree := Read(t, dir)
	require.NoError(t, filepath.WalkDir(dir, func(path string, e fs.DirEntry, err error) error {
		if err == nil && e.IsDir() {
			name, _ := filepath.Rel(dir, path)
			tree[filepath.ToSlash(name)+"/"] = ""
		}
		return err
	}))
	return tree
}
