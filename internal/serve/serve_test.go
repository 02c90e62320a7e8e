package serve

import (
	"io"
	"net/http"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/project"
	"tachyform/internal/testsite"
)

// get gives status and content, 0 for no answer within two seconds.
func get(t *testing.T, url string) (int, string) {
	t.Helper()
	client := http.Client{Timeout: 2 * time.Second, Transport: &http.Transport{DisableKeepAlives: true},
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	resp, err := client.Get(url)
	if err != nil {
		return 0, ""
	}
	defer resp.Body.Close()
	text, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	return resp.StatusCode, string(text)
}

// A server goes offline and comes back at its own address; while it stalls, it takes questions and gives no answer.
func TestServer(t *testing.T) {
	s, err := Start(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { _, _ = io.WriteString(w, "low") }))
	require.NoError(t, err)
	defer s.Offline()
	origin := s.Origin()
	says := func(wantStatus int, want string) {
		t.Helper()
		status, text := get(t, origin+"/tides?day=1")
		assert.Equal(t, wantStatus, status)
		assert.Equal(t, want, text)
	}
	says(200, "low")
	assert.Equal(t, []string{"GET /tides?day=1"}, s.Asked())
	assert.Empty(t, s.Asked(), "told once")
	s.Offline()
	s.Offline()
	says(0, "")
	assert.Empty(t, s.Asked())
	require.NoError(t, s.Stall())
	says(0, "")
	assert.Len(t, s.Asked(), 1)
	require.NoError(t, s.Online())
	s.Answer(http.NotFoundHandler())
	says(404, "404 page not found\n")
	assert.Equal(t, origin, s.Origin())
}

// A folder is served as its host would, with files that are changed meanwhile, and under names that are allowed.
func TestHandler(t *testing.T) {
	dir := testsite.Write(t, map[string]string{"index.html": "one", "tides/index.html": "low", "data": "\x00"})
	p, err := project.Parse("f", []byte("address: /app/\nhosting: {headers: [{match: '/app/data', set: {Content-Type: "+
		"null, X-A: b}}]}"))
	require.NoError(t, err)
	s, err := Start(nil)
	require.NoError(t, err)
	defer s.Offline()
	s.Answer(Named([]string{"pier.example"}, Handler(dir, s.Origin(), p)))
	for path, want := range map[string]int{"/app/": 200, "/app/tides": 301, "/": 404, "/app/data": 200} {
		status, _ := get(t, s.Origin()+path)
		assert.Equal(t, want, status, path)
	}
	resp, err := http.Get(s.Origin() + "/app/data")
	require.NoError(t, err)
	resp.Body.Close()
	assert.Equal(t, "b", resp.Header.Get("X-A"))
	assert.Empty(t, resp.Header.Get("Content-Type"), "none is guessed")
	resp, err = http.Head(s.Origin() + "/app/")
	require.NoError(t, err)
	resp.Body.Close()
	assert.Equal(t, "3", resp.Header.Get("Content-Length"))

	require.NoError(t, os.WriteFile(filepath.Join(dir, "later.html"), []byte("later"), 0o644))
	assert.Eventually(t, func() bool { status, _ := get(t, s.Origin()+"/app/later.html"); return status == 200 },
		5*time.Second, 50*time.Millisecond)

	for host, want := range map[string]int{"pier.example": 200, "PIER.example:80": 200, "localhost:1": 200, "[::1]:5": 200,
		"evil.example": 421, "pier.example.evil.example": 421} {
		req, err := http.NewRequest("GET", s.Origin()+"/app/", nil)
		require.NoError(t, err)
		req.Host = host
		resp, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		resp.Body.Close()
		assert.Equal(t, want, resp.StatusCode, host)
	}
	require.NoError(t, os.RemoveAll(dir))
	time.Sleep(1100 * time.Millisecond)
	status, text := get(t, s.Origin()+"/app/")
	assert.Equal(t, 500, status)
	assert.NotContains(t, text, dir, "no path of this machine")
}
