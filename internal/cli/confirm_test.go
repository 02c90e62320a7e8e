package cli

import (
	"encoding/json"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/audit"
	"tachyform/internal/confirm"
	"tachyform/internal/project"
	"tachyform/internal/site"
	"tachyform/internal/testsite"
)

// A record applies to the bytes that it names, with --confirm or not; --ignore-confirmed leaves it out.
func TestRecordOfConfirmedPages(t *testing.T) {
	dir := write(t, map[string]string{"tachyform.yaml": "site: dist\n", "dist/index.html": "<!doctype html><title>Pier</title><canvas></canvas>" +
		"<script>document.querySelector('canvas').getContext('webgl').clear(0); document.body.append('drawn'); navigator.serviceWorker.register('/sw.js')</script>",
		"dist/sw.js": "addEventListener('install', (e) => e.waitUntil(caches.open('c').then((c) => c.add('/'))));" +
			"addEventListener('fetch', (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request))));"})
	verdict := func(args ...string) audit.Summary {
		var r audit.Report
		require.NoError(t, json.Unmarshal([]byte(run(t, dir, append([]string{"audit", "--format", "json"}, args...)...).out), &r))
		return r.Summary
	}
	before := verdict()
	assert.Equal(t, 1, before.Unknown)
	record := func(bytes string) {
		testsite.Add(t, dir, map[string]string{confirm.RecordName: `{"schema": "tachyform.confirmed/1", "pages": [` +
			`{"page": "/", "condition": "offline", "outcome": "partial", "title": "", "browser": "chromium 156", "date": "2026-12-01", "bytes": "` + bytes + `"},` +
			`{"page": "/", "condition": "stalled", "outcome": "whole", "title": "", "browser": "chromium 156", "date": "2026-12-01", "bytes": "` + bytes + `"}]}`})
	}
	record("sha256-0")
	assert.Equal(t, before, verdict(), "other bytes")
	p, err := project.Load(filepath.Join(dir, project.FileName))
	require.NoError(t, err)
	f, err := openFolder(filepath.Join(dir, "dist"), p)
	require.NoError(t, err)
	checksum, err := confirm.Checksum(p, []site.Host{f})
	require.NoError(t, err)
	record(checksum)
	after := verdict()
	assert.Zero(t, after.Unknown)
	assert.Equal(t, 1, after.Confirmed)
	assert.Equal(t, []string{"chromium 156 on 2026-12-01"}, after.ConfirmedBy)
	assert.Equal(t, before.Risks, after.Risks, "offline.seen takes the place of offline.unknown")
	assert.Equal(t, before, verdict("--ignore-confirmed"))
	r := run(t, dir, "audit")
	assert.Contains(t, r.out, "1 page confirmed by chromium 156 on 2026-12-01")
	assert.Contains(t, r.out, "/: partial in chromium 156")
	testsite.Add(t, dir, map[string]string{confirm.RecordName: "{"})
	r = run(t, dir, "audit")
	assert.Equal(t, statusFailed, r.status)
	assert.Contains(t, r.err, "The record of confirmed pages cannot be read")
	for _, args := range [][]string{{"audit", "--write-requests"}, {"audit", "--confirm", "opera"}, {"audit", "--browser-path", "/bin/sh"}} {
		assert.Equal(t, statusUsage, run(t, dir, args...).status, args)
	}
}
