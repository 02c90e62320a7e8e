package conformance

import (
	"context"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/handover"
	"tachyform/internal/recorded"
	"tachyform/internal/useragent"
)

// recordedRelease is a step of an update as a real browser recorded it.
type recordedRelease struct {
	Step      string
	Navigated bool
	HTML      *string
	Text      *string
	Worker    struct{ Waiting *string }
	Requests  *int
	Bytes     *int64
	Documents *int
}

// TestRecordedHandovers hands the recorded sites over to their next releases, as the recorded browser saw it.
func TestRecordedHandovers(t *testing.T) {
	cases, err := filepath.Glob(filepath.Join(sitesDir(t), "*", "next"))
	require.NoError(t, err)
	for _, path := range cases {
		folder := filepath.Dir(path)
		t.Run(filepath.Base(folder), func(t *testing.T) {
			var want struct {
				Update struct{ Steps []recordedRelease }
			}
			c, hosts, err := recorded.Load(folder, &want)
			require.NoError(t, err)
			var visit []string
			for _, v := range c.Visit {
				visit = append(visit, recorded.Origin+v)
			}
			got, err := handover.Run(context.Background(), handover.Input{Visit: visit, Only: []string{handover.Returning},
				Releases: []handover.Release{{Host: hosts[0], Others: hosts[1:]}, {Host: c.Next, Others: hosts[1:]}},
				Options:  useragent.Options{}})
			require.NoError(t, err)
			steps := got.Scenarios[0].Steps
			require.Len(t, steps, len(want.Update.Steps))
			for i, w := range want.Update.Steps {
				s := steps[i]
				require.Equal(t, w.Step, s.Name)
				assert.Equal(t, w.Navigated, s.Document != handover.Missing, w.Step)
				if w.HTML != nil {
					assert.Contains(t, map[string][]handover.Whose{"1": {handover.Old, handover.Same}, "2": {handover.New, handover.Same}}[*w.HTML],
						s.Document, w.Step)
				}
				if w.Text != nil && s.Text != nil {
					assert.Equal(t, strings.Join(strings.Fields(*w.Text), ""), strings.Join(strings.Fields(*s.Text), ""), w.Step)
				}
				assert.Equal(t, w.Worker.Waiting != nil, s.Waiting, w.Step)
				if w.Requests != nil {
					assert.Equal(t, *w.Requests, s.Requests, w.Step)
					assert.Equal(t, *w.Bytes, s.Bytes, w.Step)
				}
				if w.Documents != nil {
					assert.Equal(t, *w.Documents, s.Documents, w.Step)
				}
				t.Log(s.Name, s.Document, s.Files, s.Outcome, s.Requests, s.Bytes)
			}
			t.Logf("%+v", got.Scenarios[0].Arrival)
		})
	}
}
