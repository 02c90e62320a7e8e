package audit

import (
	"context"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/problem"
	"tachyform/internal/project"
	"tachyform/internal/site"
	"tachyform/internal/worker"
)

// visitorsOf is what an audit of a site with a worker of its own needs, and the site with another worker at its
// address.
func visitorsOf(t *testing.T, present, next string) (Input, *site.Folder) {
	t.Helper()
	_, f := stageSite(t, present, "")
	p, err := project.Parse("f", []byte("worker: {present: {file: /w.js}}\naudit: {visit: [/, /tides.html]}"))
	require.NoError(t, err)
	return Input{Project: p, Name: "site", Host: f, Folder: f}, f.With(map[string][]byte{"w.js": []byte(next)})
}

// What a visitor with the site's own worker goes through when another takes its address.
func TestReplace(t *testing.T) {
	const (
		tidy = "addEventListener('install', () => skipWaiting()); addEventListener('activate', (e) => " +
			"e.waitUntil(caches.keys().then((all) => Promise.all(all.map((n) => caches.delete(n))))));"
		careless = "addEventListener('install', () => skipWaiting());"
		patient  = "addEventListener('activate', (e) => e.waitUntil(caches.delete('one')));"
		broken   = "addEventListener('install', (e) => e.waitUntil(Promise.reject(new Error('no tide table'))));"
		syntax   = "let = ;"
	)
	for name, c := range map[string]struct {
		next    string
		left    []string
		stays   bool
		failure string
	}{
		"takes over and clears": {next: tidy},
		"takes over only":       {next: careless, left: []string{"one"}},
		"waits for the end":     {next: patient},
		"cannot be installed":   {next: broken, left: []string{"one"}, stays: true},
		"is no script":          {next: syntax, left: []string{"one"}, stays: true},
	} {
		t.Run(name, func(t *testing.T) {
			in, next := visitorsOf(t, keeping, c.next)
			stores, err := StoresOf(context.Background(), in)
			require.NoError(t, err)
			assert.Equal(t, []string{"one"}, stores)
			got, err := Replace(context.Background(), in, next)
			require.NoError(t, err)
			assert.Equal(t, &Replaced{Stores: []string{"one"}, Left: c.left, Stays: c.stays, Failure: c.failure}, got)
		})
	}
	in, next := visitorsOf(t, keeping, tidy)
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	_, err := Replace(ctx, in, next)
	assert.ErrorIs(t, err, context.Canceled)
	_, err = StoresOf(ctx, in)
	assert.ErrorIs(t, err, context.Canceled)
}

// A worker that retires another is tried: what it leaves behind is told.
func TestRetire(t *testing.T) {
	ours, err := worker.Retiring(worker.Options{})
	require.NoError(t, err)
	small, err := worker.Retiring(worker.Options{Minify: true, Target: "es2017"})
	require.NoError(t, err)
	assert.Less(t, len(small), len(ours))
	for name, c := range map[string]struct {
		present, next string
		want          Retired
	}{
		"ours":           {keeping, string(ours), Retired{Had: true, Kept: 2, Gone: true}},
		"ours, small":    {keeping, string(small), Retired{Had: true, Kept: 2, Gone: true}},
		"nobody has one": {"throw new Error('never')", string(ours), Retired{Gone: true}},
		"keeps caches": {keeping, "addEventListener('install', () => skipWaiting()); addEventListener('activate', () " +
			"=> registration.unregister());", Retired{Had: true, Kept: 2, Left: "caches with content are left"}},
		"goes on": {keeping, strings.Replace(keeping, "'one'", "'two'", 1),
			Retired{Had: true, Kept: 2, Left: "caches with content are left"}},
		"answers itself": {keeping, "addEventListener('install', () => skipWaiting()); addEventListener('activate', (e) " +
			"=> e.waitUntil(caches.delete('one').then(() => clients.claim()))); addEventListener('fetch', (e) => " +
			"e.respondWith(new Response('<title>still here</title>', {headers: {'Content-Type': 'text/html'}})));",
			Retired{Had: true, Kept: 2, Left: "the page still comes from a worker"}},
	} {
		t.Run(name, func(t *testing.T) {
			in, next := visitorsOf(t, c.present, c.next)
			got, err := Retire(context.Background(), in, next)
			require.NoError(t, err)
			assert.Equal(t, &c.want, got)
		})
	}
}

// A sheet shows each icon once in each of its roles, and says when there is none.
func TestSheet(t *testing.T) {
	icons := func(manifest, head string) (files map[string]string) {
		files = goodSite()
		files["index.html"] = "<!doctype html><link rel=manifest href=m.json>" + head
		files["m.json"] = manifest
		files["bad.png"] = "no picture"
		return files
	}
	for name, c := range map[string]struct {
		files map[string]string
		want  string
		fails string
	}{
		"all roles": {icons(`{"short_name":"Pier","background_color":"#fff","icons":[{"src":"any.png","purpose":"any maskable"},{"src":"any.png"},{"src":"mask.png","purpose":"maskable"}]}`, "<link rel=apple-touch-icon href=any.png><link rel='shortcut icon' href=mask.png>"),
			"any.png any, any.png maskable, mask.png maskable, any.png apple, mask.png favicon", ""},
		"no manifest": {icons("", "<link rel=icon href=any.png>"), "any.png favicon", ""},
		"what is damaged": {icons(`{"icons":[{"src":"bad.png"},{"src":"gone.png"},{"src":"any.png"}]}`, ""), "any.png any",
			""},
		"none":     {icons(`{}`, ""), "", "declares no icon"},
		"no entry": {map[string]string{"a.html": "x"}, "", "the entry page does not open"},
	} {
		t.Run(name, func(t *testing.T) {
			p, f := lay(t, c.files, "origin: https://pier.example\napp: {name: Line}")
			s, err := Sheet(context.Background(), Input{Project: p, Host: f, Folder: f})
			if c.fails != "" {
				var wrong *problem.Problem
				require.ErrorAs(t, err, &wrong)
				assert.Contains(t, wrong.What, c.fails)
				assert.NotEmpty(t, wrong.Mend)
				return
			}
			require.NoError(t, err)
			var got []string
			for _, i := range s.Icons {
				got = append(got, i.File+" "+i.Role)
			}
			assert.Equal(t, c.want, strings.Join(got, ", "))
			assert.Equal(t, "pier.example", s.Host)
		})
	}
}
