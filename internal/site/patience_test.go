package site

import (
	"context"
	"net/http"
	"net/http/httptest"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

// All answers of a live host together may take so long; what is done between them does not count.
func TestPatience(t *testing.T) {
	for name, c := range map[string]struct {
		answers, between time.Duration
		exhausted        bool
	}{
		"slow answers":      {120 * time.Millisecond, 0, true},
		"much work of ours": {time.Millisecond, 150 * time.Millisecond, false},
	} {
		server := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) { time.Sleep(c.answers) }))
		l := NewLive(server.URL, 0)
		var calls atomic.Int32
		l.Patience(200*time.Millisecond, func() { calls.Add(1) })
		for _, path := range []string{"/a", "/b", "/c"} {
			_, err := getLive(context.Background(), t, l, "GET", path, nil)
			assert.NoError(t, err, name)
			time.Sleep(c.between)
		}
		assert.Equal(t, c.exhausted, calls.Load() > 0, name)
		server.Close()
	}
}
