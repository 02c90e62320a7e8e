package site

import (
	"crypto/sha256"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/project"
	"tachyform/internal/testsite"
)

// A digest keeps no content in memory: a site may hold films.
func TestDigest(t *testing.T) {
	dir := testsite.Write(t, map[string]string{"reel.mp4": "film", "index.html": "text"})
	f, err := OpenFolder(dir, "https://line.example", "/", project.Default(".").Host)
	require.NoError(t, err)
	reel := f.File("reel.mp4")
	for range 2 {
		sum, err := reel.Digest()
		require.NoError(t, err)
		assert.Equal(t, sha256.Sum256([]byte("film")), sum)
		stamp, err := reel.Stamp()
		require.NoError(t, err)
		assert.Equal(t, Stamp([]byte("film")), stamp)
		assert.False(t, reel.loaded)
		assert.Zero(t, f.kept.Load())
	}
	changed := f.With(map[string][]byte{"reel.mp4": []byte("other")}).File("reel.mp4")
	stamp, err := changed.Stamp()
	require.NoError(t, err)
	assert.Equal(t, Stamp([]byte("other")), stamp)
}
