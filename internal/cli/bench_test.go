package cli

import (
	"context"
	"testing"

	"github.com/stretchr/testify/require"

	"tachyform/internal/audit"
)

// BenchmarkAuditDemo is one audit of the fitted example: two conditions, every page.
func BenchmarkAuditDemo(b *testing.B) {
	dir, p := fittedDemo(b)
	_ = dir
	for b.Loop() {
		f, err := openFolder(p.SiteDir(), p)
		require.NoError(b, err)
		_, err = audit.Run(context.Background(), audit.Input{Project: p, Name: "site", Host: f, Folder: f})
		require.NoError(b, err)
	}
}
