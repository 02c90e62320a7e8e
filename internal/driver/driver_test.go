package driver_test

import (
	"context"
	"errors"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/driver"
	"tachyform/internal/driver/chromium"
	"tachyform/internal/driver/firefox"
	"tachyform/internal/driver/webkit"
)

// Every driver opens pages, waits for what an expression comes to, and tells its errors.
func TestTabs(t *testing.T) {
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		_, _ = w.Write([]byte("<!doctype html><title>" + r.URL.Path + "</title>"))
	}))
	defer server.Close()
	for name, start := range map[string]func() (driver.Browser, error){
		"chromium": func() (driver.Browser, error) { return chromium.Start(context.Background()) },
		"firefox":  func() (driver.Browser, error) { return firefox.Start() },
		"webkit":   func() (driver.Browser, error) { return webkit.Start() },
	} {
		t.Run(name, func(t *testing.T) {
			b, err := start()
			if errors.Is(err, driver.ErrNotHere) {
				t.Skip("SKIPPED: " + err.Error())
			}
			require.NoError(t, err)
			defer b.Close()
			tab, err := b.NewTab()
			require.NoError(t, err)
			defer tab.Close()
			require.NoError(t, tab.Load(server.URL+"/pier"))
			for expression, want := range map[string]string{"document.title": "/pier", "Promise.resolve('low')": "low",
				"new Promise((ok) => setTimeout(ok, 50, 'later'))": "later"} {
				got, err := tab.Evaluate(expression)
				require.NoError(t, err, expression)
				assert.Equal(t, want, got, expression)
			}
			_, err = tab.Evaluate("Promise.reject(new Error('no tide table'))")
			assert.Error(t, err)
		})
	}
}

// A program that is not installed is told as such, and what ran is put away.
func TestRun(t *testing.T) {
	_, err := driver.Run(nil, nil, "no-such-browser")
	assert.ErrorIs(t, err, driver.ErrNotHere)
	dir := t.TempDir() + "/profile"
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "cache"), 0o755))
	p, err := driver.Run([]string{"TIDE=low"}, []string{dir}, "sleep", "60")
	require.NoError(t, err)
	p.End()
	assert.NoDirExists(t, dir)
	(*driver.Process)(nil).End()
	first, err := driver.FreePort()
	require.NoError(t, err)
	assert.Positive(t, first)
}
