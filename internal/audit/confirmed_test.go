package audit

import (
	"context"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/rehearsal"
)

// A confirmation replaces an unknown outcome only, and other findings stay.
func TestConfirmed(t *testing.T) {
	files := goodSite()
	files["far.html"] = strings.Replace(files["far.html"], "</body>", "<p></p><canvas></canvas><script>document.querySelector('p').textContent = "+
		"document.querySelector('canvas').getContext('webgl') ? 'Depths' : 'Nothing'</script></body>", 1)
	files["index.html"] = strings.Replace(files["index.html"], ` lang="en"`, "", 1)
	p, f := lay(t, files, "origin: https://pier.example")
	run := func(list ...Confirmation) (*Report, *PageResult) {
		r, err := Run(context.Background(), Input{Project: p, Name: "pier", Host: f, Folder: f, Confirmed: list})
		require.NoError(t, err)
		for _, page := range r.Pages {
			if page.URL == "/far.html" {
				return r, page.Under["offline"]
			}
		}
		require.Fail(t, "no page")
		return nil, nil
	}
	confirmed := func(page, condition string, outcome rehearsal.Outcome) Confirmation {
		return Confirmation{Page: page, Condition: condition, Outcome: outcome, Browser: "chromium 156", Date: "2026-12-01"}
	}
	r, page := run()
	assert.False(t, page.Known)
	assert.Contains(t, codes(r), "offline.unknown")
	assert.Contains(t, codes(r), "page.language")

	r, page = run(confirmed("/far.html", "offline", rehearsal.Whole), confirmed("/far.html", "stalled", rehearsal.Whole), confirmed("/", "offline", rehearsal.Lost))
	assert.True(t, page.Known)
	assert.Equal(t, "chromium 156", page.Confirmed.Browser)
	assert.NotContains(t, codes(r), "offline.unknown")
	assert.NotContains(t, codes(r), "offline.seen", "the start page is known here")
	assert.Contains(t, codes(r), "page.language")
	assert.Equal(t, 1, r.Summary.Confirmed)

	r, page = run(confirmed("/far.html", "offline", rehearsal.Lost))
	assert.Equal(t, rehearsal.Lost, page.Outcome)
	assert.Contains(t, codes(r), "offline.seen")
	assert.Contains(t, codes(r), "offline.unknown", "stalled is unknown still")
}
