package useragent

import (
	"context"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/site"
)

// Everything that a page can reach belongs to its realm: whoever gets hold of a prototype of the environment's could
// change what the environment itself does.
func TestNothingOfTheEnvironmentIsReached(t *testing.T) {
	walk, err := os.ReadFile("testdata/isolation.js")
	require.NoError(t, err)
	host := siteWith(t, "", "index.html", "<!doctype html><title>Pier</title><body><p>Sailings</p><script src=/walk.js></script>",
		"more.html", "<!doctype html><title>More</title><p>More", "walk.js", string(walk))
	b := New(context.Background(), []site.Host{host}, Options{})
	defer b.Close()
	tab := b.Open(home, nil)
	b.Settle()
	b.Take(tab)
	assert.Empty(t, b.Exhausted())
	t.Log(tab.View.Title)
	if text := tab.View.FullText(); text != "no leaks" {
		t.Error(text, tab.View.Errors)
	}
}
