package confirm

import (
	"image"
	"image/color"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/audit"
	"tachyform/internal/condition"
	"tachyform/internal/project"
	"tachyform/internal/rehearsal"
	"tachyform/internal/site"
	"tachyform/internal/testsite"
)

// painted is a picture of one colour with a square of another.
func painted(square int) image.Image {
	m := image.NewRGBA(image.Rect(0, 0, 100, 100))
	for i := range square {
		for j := range square {
			m.Set(i, j, color.RGBA{200, 0, 0, 255})
		}
	}
	return m
}

// A page is confirmed only if the browser shows the same each time it is opened.
func TestJudge(t *testing.T) {
	tides, none := Sight{Shows: true, Title: "Tides", Text: "low", all: "low and high"}, Sight{}
	online := sightOnline{Sight: tides, picture: painted(0), steady: true}
	changing, broken := online, online
	changing.steady, broken.Sight = false, none
	for _, c := range []struct {
		name      string
		condition condition.Condition
		seen      Sight
		picture   image.Image
		online    sightOnline
		want      rehearsal.Outcome
	}{
		{"the same", condition.Offline, tides, painted(4), online, rehearsal.Whole},
		{"another picture", condition.Offline, tides, painted(10), online, ""},
		{"no picture", condition.Offline, tides, nil, online, ""},
		{"another text", condition.Offline, Sight{Shows: true, Title: "Tides", Text: "unknown"}, painted(0), online, rehearsal.Partial},
		{"another title", condition.Offline, Sight{Shows: true, Text: "low", all: "low and high"}, painted(0), online, rehearsal.Partial},
		{"another end of the text", condition.Offline, Sight{Shows: true, Title: "Tides", Text: "low", all: "low and unknown"}, painted(0), online, rehearsal.Partial},
		{"no page", condition.Offline, none, painted(0), online, rehearsal.Lost},
		{"no page, stalled", condition.Stalled, none, painted(0), online, rehearsal.Stuck},
		{"no page online", condition.Offline, none, painted(0), broken, ""},
		{"something else each time", condition.Offline, tides, painted(0), changing, ""},
		{"something else each time, no page", condition.Offline, none, painted(0), changing, rehearsal.Lost},
	} {
		got := judge(Unknown{"/", c.condition}, c.seen, c.picture, &c.online)
		assert.Equal(t, c.want, got.Outcome, c.name)
		assert.Equal(t, c.want == "", got.Unclear != "", c.name)
	}
	assert.False(t, alike(painted(0), image.NewRGBA(image.Rect(0, 0, 9, 9))))
}

// The record keeps what was confirmed for the same bytes, and other bytes have another checksum.
func TestRecord(t *testing.T) {
	dir := testsite.Write(t, map[string]string{"index.html": "one", "sw.js": "//"})
	p := project.Default("")
	checksum := func() string {
		f, err := site.OpenFolder(dir, "https://pier.example", "/", p.Host)
		require.NoError(t, err)
		sum, err := Checksum(p, []site.Host{f})
		require.NoError(t, err)
		return sum
	}
	first := checksum()
	assert.Equal(t, first, checksum())
	require.NoError(t, os.WriteFile(filepath.Join(dir, "index.html"), []byte("two"), 0o644))
	second := checksum()
	assert.NotEqual(t, first, second)
	p.Host.SinglePage = "/index.html"
	assert.NotEqual(t, second, checksum(), "the host answers in another way")

	answers := []Answer{{Unknown: Unknown{"/", condition.Offline}, Outcome: rehearsal.Whole, Title: "Pier"},
		{Unknown: Unknown{"/map", condition.Offline}, Unclear: "unclear"}}
	list := Confirmations(answers, "chromium 156", first, time.Date(2026, 12, 1, 23, 0, 0, 0, time.UTC))
	require.Len(t, list, 1)
	file := filepath.Join(t.TempDir(), RecordName)
	none, err := ReadRecord(file)
	require.NoError(t, err)
	assert.Empty(t, none)
	earlier := []audit.Confirmation{{Page: "/", Condition: "offline", Outcome: "lost", Bytes: first}, {Page: "/old", Condition: "offline", Outcome: "whole", Bytes: second},
		{Page: "/quay", Condition: "offline", Outcome: "partial", Bytes: first}}
	text, err := RecordText(list, earlier)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(file, text, 0o644))
	got, err := ReadRecord(file)
	require.NoError(t, err)
	assert.Equal(t, []audit.Confirmation{list[0], earlier[2]}, got)

	for name, text := range map[string]string{"no JSON": "{", "another schema": `{"schema": "x"}`, "empty": "",
		"a condition": `{"schema": "tachyform.confirmed/1", "pages": [{"page": "/", "condition": "foggy", "outcome": "whole"}]}`,
		"an outcome":  `{"schema": "tachyform.confirmed/1", "pages": [{"page": "/", "condition": "offline", "outcome": "ready"}]}`} {
		require.NoError(t, os.WriteFile(file, []byte(text), 0o644))
		_, err = ReadRecord(file)
		assert.ErrorContains(t, err, "cannot be read", name)
	}
}

func FuzzReadRecord(f *testing.F) {
	f.Add([]byte(`{"schema": "tachyform.confirmed/1", "pages": [{"page": "/", "condition": "offline", "outcome": "whole"}]}`))
	f.Fuzz(func(t *testing.T, text []byte) {
		file := filepath.Join(t.TempDir(), RecordName)
		require.NoError(t, os.WriteFile(file, text, 0o644))
		list, err := ReadRecord(file)
		for _, c := range list {
			require.NoError(t, err)
			_, known := condition.Named(c.Condition)
			assert.True(t, known)
		}
	})
}
