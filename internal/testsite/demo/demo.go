// Package demo lays out the example site for tests, as it is and fitted.
package demo

import (
	"context"
	"io/fs"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	examples "tachyform/examples/skerry-line"
	"tachyform/internal/fit"
	"tachyform/internal/project"
	"tachyform/internal/site"
)

// Unpack writes the example into a new folder.
func Unpack(t testing.TB) (dir string) {
	t.Helper()
	dir = t.TempDir()
	plain, err := fs.Sub(examples.Plain, "plain")
	require.NoError(t, err)
	require.NoError(t, os.CopyFS(dir, plain))
	return dir
}

// Fitted unpacks the example, fits it, and gives its folder and project.
func Fitted(t testing.TB) (dir string, p *project.Project) {
	t.Helper()
	dir = Unpack(t)
	p, err := project.Load(filepath.Join(dir, project.FileName))
	require.NoError(t, err)
	Fit(t, p)
	return dir, p
}

// Fit fits a project's site.
func Fit(t testing.TB, p *project.Project) {
	t.Helper()
	plan, err := fit.Prepare(context.Background(), p, Open(t, p), nil)
	require.NoError(t, err)
	Apply(t, plan)
}

// Apply carries out a plan.
func Apply(t testing.TB, plan *fit.Plan) {
	t.Helper()
	state, err := fit.OpenState(context.Background(), plan.State, "test")
	require.NoError(t, err)
	defer state.Close()
	require.NoError(t, state.Apply(context.Background(), plan))
}

// Open opens a project's site as a host.
func Open(t testing.TB, p *project.Project) *site.Folder {
	t.Helper()
	origin := p.Origin
	if origin == "" {
		origin = "https://site.example"
	}
	f, err := site.OpenFolder(p.SiteDir(), origin, p.Addr, p.Host)
	require.NoError(t, err)
	return f
}
