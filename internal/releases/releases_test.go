package releases

import (
	"context"
	"encoding/hex"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/project"
	"tachyform/internal/site"
	"tachyform/internal/testsite"
)

func folder(t *testing.T, files map[string]string) *site.Folder {
	t.Helper()
	f, err := site.OpenFolder(testsite.Write(t, files), "https://line.example", "/", project.Default(".").Host)
	require.NoError(t, err)
	return f
}

func store(t *testing.T, budget int, count int) *Store {
	return Of(&project.Project{Dir: t.TempDir(), Releases: project.Releases{Budget: project.Size(budget), AtMost: count}})
}

// What was recorded is laid out as it was deployed: text whole, of pictures something of the same size.
func TestRecordAndLay(t *testing.T) {
	s := store(t, 0, 0)
	picture := strings.Repeat("\x89PNG", 50)
	first := folder(t, map[string]string{"index.html": "one", "a/s.css": "p {}", "a/p.png": picture})
	r, err := s.Record(context.Background(), first, false)
	require.NoError(t, err)
	again, err := s.Record(context.Background(), first, false)
	require.NoError(t, err)
	assert.Equal(t, r.ID, again.ID)
	assert.True(t, r.At.Equal(again.At), "the same release is kept once")
	none, err := s.Before(context.Background(), first)
	require.NoError(t, err)
	assert.Nil(t, none, "it does not differ from the site")

	second := folder(t, map[string]string{"index.html": "two", "a/s.css": "p {}", "a/p.png": picture})
	before, err := s.Before(context.Background(), second)
	require.NoError(t, err)
	require.Equal(t, r.ID, before.ID)
	dir, err := s.Lay(before, nil)
	require.NoError(t, err)
	defer os.RemoveAll(dir)
	read := func(name string) string {
		text, err := os.ReadFile(filepath.Join(dir, name))
		require.NoError(t, err)
		return string(text)
	}
	assert.Equal(t, "one", read("index.html"))
	assert.Equal(t, "p {}", read("a/s.css"))
	assert.Len(t, read("a/p.png"), len(picture))
	assert.NotEqual(t, picture, read("a/p.png"))
	sum, known := StandsFor([]byte(read("a/p.png")))
	assert.True(t, known)
	assert.Equal(t, hashOf([]byte(picture)), hex.EncodeToString(sum), "it stands for the picture")
	for _, other := range []string{"", "one", fillingStart, fillingStart + strings.Repeat("z", 64) + "\n", fillingStart + strings.Repeat("a", 64)} {
		_, known := StandsFor([]byte(other))
		assert.False(t, known, other)
	}
	same, err := s.Lay(before, second)
	require.NoError(t, err)
	defer os.RemoveAll(same)
	text, err := os.ReadFile(filepath.Join(same, "a", "p.png"))
	require.NoError(t, err)
	assert.Equal(t, picture, string(text), "the picture is as before, so it is taken from the site")

	// The one that is live is compared with, whatever else was recorded since.
	third := folder(t, map[string]string{"index.html": "three"})
	_, err = s.Record(context.Background(), second, true)
	require.NoError(t, err)
	_, err = s.Record(context.Background(), first, false)
	require.NoError(t, err)
	live, err := s.Before(context.Background(), third)
	require.NoError(t, err)
	assert.NotEqual(t, r.ID, live.ID)
}

// Old releases go when there are too many or they take too much, the live one never; what nobody has any more goes with them.
func TestPrune(t *testing.T) {
	for name, c := range map[string]struct{ budget, count, kept, objects int }{
		"by number": {0, 2, 3, 3}, // and the live one
		"by weight": {250, 0, 3, 3},
	} {
		s := store(t, c.budget, c.count)
		for i := range 6 {
			_, err := s.Record(context.Background(), folder(t, map[string]string{"index.html": strings.Repeat(string(rune('a'+i)), 100)}), i == 0)
			require.NoError(t, err)
		}
		list, err := filepath.Glob(filepath.Join(s.dir, folderName, "*.json"))
		require.NoError(t, err)
		assert.LessOrEqual(t, len(list), c.kept, name)
		assert.GreaterOrEqual(t, len(list), 2, name)
		objects, err := os.ReadDir(filepath.Join(s.dir, folderName, objectsName))
		require.NoError(t, err)
		assert.Len(t, objects, len(list), name)
		root, err := os.OpenRoot(s.dir)
		require.NoError(t, err)
		defer root.Close()
		_, err = s.read(root, s.live(root))
		assert.NoError(t, err, "%s: the live one", name)
	}
}

// A release in one file comes out again, the same bytes each time; what is no such file is refused with the reason.
func TestPack(t *testing.T) {
	f := folder(t, map[string]string{"index.html": "one", "a/s.js": "1"})
	dir := t.TempDir()
	one, two := filepath.Join(dir, "one"), filepath.Join(dir, "two")
	require.NoError(t, Pack(context.Background(), f, one))
	require.NoError(t, Pack(context.Background(), f, two))
	first, err := os.ReadFile(one)
	require.NoError(t, err)
	second, err := os.ReadFile(two)
	require.NoError(t, err)
	assert.Equal(t, first, second)
	out, err := Unpack(one, nil)
	require.NoError(t, err)
	defer os.RemoveAll(out)
	text, err := os.ReadFile(filepath.Join(out, "a", "s.js"))
	require.NoError(t, err)
	assert.Equal(t, "1", string(text))
	require.NoError(t, os.WriteFile(two, first[:len(first)/2], 0o644))
	_, err = Unpack(two, nil)
	assert.ErrorContains(t, err, "no release that can be read")
	assert.ErrorContains(t, Pack(context.Background(), f, filepath.Join(dir, "none", "x")), "cannot be written")
}

// What lies beside a project may be somebody else's: nothing in it leads out of the site, and no content is believed.
func TestForeignRecords(t *testing.T) {
	s := store(t, 0, 0)
	r, err := s.Record(context.Background(), folder(t, map[string]string{"index.html": "one"}), false)
	require.NoError(t, err)
	for name, change := range map[string]func(*Release){
		"a path out of the site": func(r *Release) { r.Files[0].Path = "../../out.html" },
		"a path from the root":   func(r *Release) { r.Files[0].Path = "/tmp/out.html" },
		"other content":          func(r *Release) { r.Files[0].Hash = hashOf([]byte("two")) },
	} {
		bad := *r
		bad.Files = append([]File(nil), r.Files...)
		change(&bad)
		_, err := s.Lay(&bad, nil)
		assert.Error(t, err, name)
	}
	object := filepath.Join(s.dir, folderName, objectsName, r.Files[0].Hash)
	require.NoError(t, os.WriteFile(object, []byte("changed"), 0o644))
	_, err = s.Lay(r, nil)
	assert.ErrorContains(t, err, "not what was recorded")
	root, err := os.OpenRoot(s.dir)
	require.NoError(t, err)
	defer root.Close()
	for _, id := range []string{"../journal/x", "0123", strings.Repeat("z", 16)} {
		_, err := s.read(root, id)
		assert.Error(t, err, id)
	}
}
