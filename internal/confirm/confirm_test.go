package confirm

import (
	"context"
	"encoding/json"
	"errors"
	"io"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/condition"
	"tachyform/internal/driver"
	"tachyform/internal/serve"
)

// reader is a browser that keeps what it has read once, and shows that while the host cannot be reached.
type reader struct{ kept map[string]string }

func (r *reader) NewTab() (driver.Tab, error) { return &readerTab{reader: r}, nil }
func (r *reader) Version() string             { return "1" }
func (r *reader) Close()                      {}

type readerTab struct {
	*reader
	at, text string
}

func (t *readerTab) Load(url string) error {
	if t.at, t.text = url, ""; url == "about:blank" {
		return nil
	}
	client := http.Client{Timeout: 200 * time.Millisecond, Transport: &http.Transport{DisableKeepAlives: true}}
	resp, err := client.Get(url)
	if err == nil {
		defer resp.Body.Close()
		data, _ := io.ReadAll(resp.Body)
		t.kept[url] = string(data)
	}
	text, is := t.kept[url]
	if !is || strings.HasSuffix(url, "/forgotten") {
		t.at = "error://page"
		return errors.New("no page")
	}
	t.text = text
	return nil
}

func (t *readerTab) Evaluate(expression string) (string, error) {
	if strings.Contains(expression, "getRegistrations") {
		return "active", nil
	}
	title, text, _ := strings.Cut(t.text, "\n")
	shown, _ := json.Marshal([]string{t.at, title, text})
	return string(shown), nil
}

func (t *readerTab) Close() {}

func (t *readerTab) Resize(int, int) error { return nil }

func (t *readerTab) Picture() ([]byte, error) { return nil, nil }

// What a browser shows is held against what was predicted of each page.
func TestCompare(t *testing.T) {
	s, err := serve.Start(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		_, _ = io.WriteString(w, "Tides\nhigh  water\n at "+strings.TrimPrefix(r.URL.Path, "/"))
	}))
	require.NoError(t, err)
	defer s.Close()
	site := &Site{Server: s, Visit: []string{"/skerra"}, Patience: 500 * time.Millisecond}
	var through []int
	rows, err := site.Compare(context.Background(), &reader{map[string]string{}}, []Prediction{
		{Path: "/skerra", Condition: condition.Online, Outcome: "whole", Shows: true, Title: "Tides", Text: "high water at skerra"},
		{Path: "/skerra", Condition: condition.Offline, Outcome: "whole", Shows: true, Title: "Tides", Text: "high water at skerra"},
		{Path: "/skerra", Condition: condition.Offline, Outcome: "whole", Shows: true, Title: "Sailings", Text: "high water at skerra"},
		{Path: "/skerra", Condition: condition.Offline, Outcome: "partial", Shows: true, Title: "Tides", Text: "low water"},
		{Path: "/skerra", Condition: condition.Offline, Outcome: "whole", Whole: true, Shows: true, Title: "Tides", Text: "high water at another hour"},
		{Path: "/calder", Condition: condition.Offline, Outcome: "lost"},
		{Path: "/calder", Condition: condition.Offline, Outcome: "whole", Shows: true},
		{Path: "/skerra", Condition: condition.Offline, Outcome: "lost"},
		{Path: "/forgotten", Condition: condition.Online, Outcome: "lost"},
	}, func(n int) { through = append(through, n) })
	require.NoError(t, err)
	var differs []Difference
	for _, r := range rows {
		differs = append(differs, r.Differs)
	}
	assert.Equal(t, []Difference{Same, Same, Title, Text, Same, Same, Shows, Shows, Same}, differs)
	assert.Equal(t, []int{1, 2, 3, 4, 5, 6, 7, 8, 9}, through)
	assert.False(t, s.Condition().Refuses, "the network is back afterwards")

	ctx, stop := context.WithCancel(context.Background())
	stop()
	_, err = site.Compare(ctx, &reader{map[string]string{}}, []Prediction{{Path: "/skerra"}}, nil)
	assert.ErrorIs(t, err, context.Canceled)
}

// Pages whose texts differ only behind the part that is compared with predictions are not the same.
func TestSightOf(t *testing.T) {
	s, err := serve.Start(http.NotFoundHandler())
	require.NoError(t, err)
	defer s.Close()
	site := &Site{Server: s}
	of := func(url, text string) Sight {
		shown, _ := json.Marshal([]string{url, "Tides", text})
		return site.sightOf(string(shown))
	}
	long := strings.Repeat("tide ", compared)
	high, low := of(s.Origin()+"/", long+"high"), of(s.Origin()+"/", long+"low")
	assert.True(t, high.Shows)
	assert.Equal(t, high.Text, low.Text)
	assert.NotEqual(t, high, low)
	assert.Equal(t, Sight{}, of("error://page", "no network"))
	assert.Equal(t, Sight{}, site.sightOf("no JSON"))
}
