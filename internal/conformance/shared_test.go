package conformance

import (
	"context"
	"os"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"tachyform/internal/driver/chromium"
)

// full runs everything: make test-full. Else long comparisons try a sample, which is the same in each run.
var full = os.Getenv("TACHYFORM_FULL") != ""

// sampled reports that the case of a number is tried: each of a full run, else one of every so many.
func sampled(number, every int) bool { return full || number%every == 0 }

// oneChromium is one Chromium for tests that each have an origin of their own and do not mind what others left in its profile.
var oneChromium struct {
	sync.Mutex
	browser *chromium.Browser
}

func sharedChromium(t *testing.T) *chromium.Browser {
	t.Helper()
	needChromium(t)
	oneChromium.Lock()
	defer oneChromium.Unlock()
	if oneChromium.browser == nil {
		c, err := chromium.Start(context.Background())
		require.NoError(t, err)
		oneChromium.browser = c
	}
	return oneChromium.browser
}

func TestMain(m *testing.M) {
	status := m.Run()
	if oneChromium.browser != nil {
		oneChromium.browser.Close()
	}
	os.Exit(status)
}
