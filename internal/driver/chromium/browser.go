// Package chromium drives a real Chromium through its debugging protocol, for proofs and measurements beside the
// embedded user agent.
package chromium

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/chromedp/cdproto/browser"
	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/cdproto/serviceworker"
	"github.com/chromedp/cdproto/target"
	"github.com/chromedp/chromedp"

	"tachyform/internal/driver"
)

// ErrNone says that there is no Chromium on this machine.
var ErrNone = fmt.Errorf("%w: no Chromium was found (on Debian: apt-get install chromium)", driver.ErrNotHere)

// Find gives the path of a Chromium, from TACHYFORM_CHROMIUM or the usual names.
func Find() (string, error) {
	if path := os.Getenv("TACHYFORM_CHROMIUM"); path != "" {
		return path, nil
	}
	for _, name := range []string{"chromium", "chromium-browser", "google-chrome", "google-chrome-stable"} {
		if path, err := exec.LookPath(name); err == nil {
			return path, nil
		}
	}
	return "", ErrNone
}

// Browser is a running Chromium with a new profile.
type Browser struct {
	ctx    context.Context
	cancel func()
}

// Start starts a headless Chromium without a sandbox, for pages that are known.
func Start(ctx context.Context) (*Browser, error) {
	path, err := Find()
	if err != nil {
		return nil, err
	}
	return start(ctx, path, chromedp.NoSandbox)
}

// StartWith starts a Chromium in its sandbox, unless the user is root, for whom it does not start in one.
func StartWith(ctx context.Context, o driver.Options) (*Browser, error) {
	path := o.Path
	if path == "" {
		var err error
		if path, err = Find(); err != nil {
			return nil, err
		}
	}
	var more []chromedp.ExecAllocatorOption
	if os.Geteuid() == 0 {
		more = append(more, chromedp.NoSandbox)
	}
	if o.Visible {
		more = append(more, chromedp.Flag("headless", false), chromedp.Flag("hide-scrollbars", false), chromedp.Flag("mute-audio", false))
	}
	return start(ctx, path, more...)
}

func start(ctx context.Context, path string, more ...chromedp.ExecAllocatorOption) (*Browser, error) {
	options := append(append(slices.Clone(chromedp.DefaultExecAllocatorOptions[:]), more...),
		chromedp.ExecPath(path), chromedp.DisableGPU,
		chromedp.WindowSize(1280, 800),
		// Pages reach this machine alone.
		chromedp.Flag("host-resolver-rules", "MAP * ~NOTFOUND, EXCLUDE 127.0.0.1, EXCLUDE localhost, EXCLUDE *.localhost"),
		// A headless one has no mouse; those that people sit before do.
		chromedp.Flag("blink-settings",
			"availableHoverTypes=2,availablePointerTypes=4,primaryHoverType=2,primaryPointerType=4"),
		chromedp.Flag("accept-lang", "en-US,en"), chromedp.Flag("disable-quic", true), chromedp.Flag("disable-component-update", true))
	alloc, stopAlloc := chromedp.NewExecAllocator(ctx, options...)
	running, stop := chromedp.NewContext(alloc)
	c := &Browser{running, func() { stop(); stopAlloc() }}
	if err := chromedp.Do(running); err != nil {
		c.cancel()
		return nil, err
	}
	return c, nil
}

// Version implements driver.Browser.
func (c *Browser) Version() string {
	tab, closeTab := c.tab(10 * time.Second)
	defer closeTab()
	text, _ := chromedp.Run(tab, func(ctx context.Context, t *chromedp.Target) (string, error) {
		answer, err := cdp.Call(ctx, t, browser.GetVersion, cdp.Empty{})
		return answer.Product, err
	})
	return driver.Major(text, 1)
}

// Close ends the browser and removes its profile.
func (c *Browser) Close() { c.cancel() }

// tab gives a new tab, for at most limit.
func (c *Browser) tab(limit time.Duration) (context.Context, func()) {
	tab, closeTab := chromedp.NewContext(c.ctx)
	bounded, cancel := context.WithTimeout(tab, limit)
	return bounded, func() { cancel(); closeTab() }
}

// View is what the browser shows of a page.
type View struct {
	// Opened is false when the browser shows its own error page.
	Opened  bool
	Status  int64
	Title   string
	Missing []string // URLs that failed or answered with 400 and up
}

// watch notes what a tab asks for and gets.
type watch struct {
	mu   sync.Mutex
	view *View
	main network.RequestID // of the page's own document
	urls map[network.RequestID]string
	// ahead are those for pages to come.
	ahead map[network.RequestID]bool
	open  map[network.RequestID]bool
	last  time.Time
}

func (w *watch) reset() *View {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.view, w.main, w.urls, w.ahead, w.open, w.last = &View{}, "", map[network.RequestID]string{}, map[network.RequestID]bool{},
		map[network.RequestID]bool{}, time.Now()
	return w.view
}

func (w *watch) event(event any) {
	w.mu.Lock()
	defer w.mu.Unlock()
	switch e := event.(type) {
	case *network.EventRequestWillBeSent:
		if w.main == "" && e.Type == network.ResourceTypeDocument {
			w.main = e.RequestID
		}
		w.urls[e.RequestID] = e.Request.URL
		purpose, _ := e.Request.Headers["Purpose"].(string)
		if later, _ := e.Request.Headers["Sec-Purpose"].(string); e.Type == network.ResourceTypePrefetch || strings.Contains(purpose+later, "prefetch") {
			w.ahead[e.RequestID] = true
		}
		w.open[e.RequestID] = true
	case *network.EventResponseReceived:
		switch {
		case e.RequestID == w.main:
			w.view.Status = e.Response.Status
		case e.Response.Status >= 400 && e.Type != network.ResourceTypeManifest && !w.ahead[e.RequestID]:
			w.view.Missing = append(w.view.Missing, e.Response.URL)
		}
	case *network.EventLoadingFinished:
		delete(w.open, e.RequestID)
	case *network.EventLoadingFailed:
		delete(w.open, e.RequestID)
		// Media that turn out to be none are given up, which is not a failure of the network; what is fetched for pages to come is no part of this one.
		if e.RequestID != w.main && e.Type != network.ResourceTypeManifest && !w.ahead[e.RequestID] &&
			!(e.Canceled && e.Type == network.ResourceTypeMedia) {
			w.view.Missing = append(w.view.Missing, w.urls[e.RequestID])
		}
	default:
		return
	}
	w.last = time.Now()
}

// settled waits until nothing has happened for a while.
func (w *watch) settled(ctx context.Context) error {
	for {
		time.Sleep(50 * time.Millisecond)
		w.mu.Lock()
		quiet, open := time.Since(w.last), len(w.open)
		w.mu.Unlock()
		if quiet > 1500*time.Millisecond || open == 0 && quiet > 400*time.Millisecond {
			return nil
		}
		if ctx.Err() != nil {
			return ctx.Err()
		}
	}
}

// longest is the longest time of an operation on a tab.
const longest = time.Minute

// Tab is an open tab.
type Tab struct {
	ctx   context.Context
	close func()
	watch watch
}

// NewTab implements driver.Browser.
func (c *Browser) NewTab() (driver.Tab, error) { return c.OpenTab() }

// OpenTab opens an empty tab. Each operation on it may take a minute.
func (c *Browser) OpenTab() (*Tab, error) {
	t := &Tab{}
	t.ctx, t.close = chromedp.NewContext(c.ctx)
	t.watch.reset()
	if err := chromedp.Do(t.ctx); err != nil {
		t.close()
		return nil, fmt.Errorf("a new tab: %w", err)
	}
	if err := chromedp.Listen(t.ctx, t.watch.event); err != nil {
		t.close()
		return nil, fmt.Errorf("listening: %w", err)
	}
	return t, nil
}

// Close closes the tab.
func (t *Tab) Close() { t.close() }

// Load implements driver.Tab: it opens a URL and waits until the page has settled.
func (t *Tab) Load(url string) error {
	if url == "about:blank" { // there is nothing to wait for
		ctx, cancel := context.WithTimeout(t.ctx, longest)
		defer cancel()
		return chromedp.Do(ctx, chromedp.Navigate(url))
	}
	_, err := t.Go(url)
	return err
}

// Go opens a URL and waits until the page has settled. Going to the URL that is shown is a reload.
func (t *Tab) Go(url string) (*View, error) {
	v := t.watch.reset()
	ctx, cancel := context.WithTimeout(t.ctx, longest)
	defer cancel()
	err := chromedp.Do(ctx, chromedp.Func(func(ctx context.Context, tab *chromedp.Target) error {
		if _, err := cdp.Call(ctx, tab, network.Enable, network.EnableParams{}); err != nil {
			return err
		}
		nav, err := cdp.Call(ctx, tab, page.Navigate, page.NavigateParams{URL: url})
		if err != nil {
			return err
		}
		v.Opened = nav.ErrorText == ""
		if err := t.watch.settled(ctx); err != nil {
			return err
		}
		info, err := cdp.Call(ctx, tab, target.GetTargetInfo, target.GetTargetInfoParams{})
		v.Title = info.TargetInfo.Title
		return err
	}))
	if err != nil {
		return nil, fmt.Errorf("opening %s: %w", url, err)
	}
	t.watch.mu.Lock()
	defer t.watch.mu.Unlock()
	if !v.Opened {
		return &View{}, nil
	}
	slices.Sort(v.Missing)
	v.Missing = slices.Compact(v.Missing)
	return v, nil
}

// Evaluate gives what a JavaScript expression, whose value is text or a promise of it, comes to on the page that is
// shown.
func (t *Tab) Evaluate(expression string) (string, error) {
	ctx, cancel := context.WithTimeout(t.ctx, longest)
	defer cancel()
	return chromedp.Run(ctx, chromedp.Evaluate[string](expression, chromedp.EvalAwaitPromise))
}

// Resize implements driver.Tab. Small sizes are those of phones.
func (t *Tab) Resize(width, height int) error {
	return t.Command(func(ctx context.Context, s cdp.Session) error {
		_, err := cdp.Call(ctx, s, emulation.SetDeviceMetricsOverride, emulation.SetDeviceMetricsOverrideParams{
			Width: int64(width), Height: int64(height), DeviceScaleFactor: 1, Mobile: width < 600})
		return err
	})
}

// Picture implements driver.Tab.
func (t *Tab) Picture() (data []byte, err error) {
	err = t.Command(func(ctx context.Context, s cdp.Session) error {
		answer, err := cdp.Call(ctx, s, page.CaptureScreenshot, page.CaptureScreenshotParams{Format: "png"})
		data = answer.Data
		return err
	})
	return data, err
}

// Command gives the tab's protocol session to f.
func (t *Tab) Command(f func(ctx context.Context, s cdp.Session) error) error {
	bounded, cancel := context.WithTimeout(t.ctx, longest)
	defer cancel()
	return chromedp.Do(bounded, chromedp.Func(func(ctx context.Context,
		target *chromedp.Target) error {
		return f(ctx, target)
	}))
}

// Open opens a URL in a new tab, waits until the page has settled, and closes the tab.
func (c *Browser) Open(url string) (*View, error) {
	t, err := c.OpenTab()
	if err != nil {
		return nil, err
	}
	defer t.Close()
	return t.Go(url)
}

// Visit opens URLs one after the other in one tab and waits on each for ready, a JavaScript expression that gives a
// promise.
func (c *Browser) Visit(urls []string, ready string) error {
	tab, closeTab := c.tab(60 * time.Second)
	defer closeTab()
	for _, url := range urls {
		wait := chromedp.Evaluate[chromedp.Void]("("+ready+").then(() => undefined)", chromedp.EvalAwaitPromise)
		if err := chromedp.Do(tab, chromedp.Navigate(url), wait, chromedp.Sleep(500*time.Millisecond)); err != nil {
			return fmt.Errorf("visiting %s: %w", url, err)
		}
	}
	return nil
}

// Evaluate opens url and gives what a JavaScript expression, whose value is a promise of text, comes to.
func (c *Browser) Evaluate(url, expression string) (string, error) {
	tab, closeTab := c.tab(30 * time.Second)
	defer closeTab()
	if err := chromedp.Do(tab, chromedp.Navigate(url)); err != nil {
		return "", err
	}
	return chromedp.Run(tab, chromedp.Evaluate[string](expression, chromedp.EvalAwaitPromise))
}

// StopWorkers ends all running service workers, as an idle browser does.
func (c *Browser) StopWorkers() error {
	tab, closeTab := c.tab(10 * time.Second)
	defer closeTab()
	return chromedp.Do(tab, chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
		if _, err := cdp.Call(ctx, t, serviceworker.Enable, cdp.Empty{}); err != nil {
			return err
		}
		_, err := cdp.Call(ctx, t, serviceworker.StopAllWorkers, cdp.Empty{})
		return err
	}))
}

// Deliver implements driver.Deliverer.
func (c *Browser) Deliver(tab driver.Tab, origin, event, text string) error {
	t, is := tab.(*Tab)
	if !is {
		return fmt.Errorf("it is a tab of another browser")
	}
	registrations := make(chan []*serviceworker.Registration, 16)
	listening, stop := context.WithTimeout(t.ctx, 5*time.Second)
	defer stop()
	if err := chromedp.Listen(listening, func(e any) {
		if updated, is := e.(*serviceworker.EventWorkerRegistrationUpdated); is {
			select {
			case registrations <- updated.Registrations:
			default:
			}
		}
	}); err != nil {
		return err
	}
	return t.Command(func(ctx context.Context, s cdp.Session) error {
		// Enabling reports the registrations again.
		_, _ = cdp.Call(ctx, s, serviceworker.Disable, cdp.Empty{})
		if _, err := cdp.Call(ctx, s, serviceworker.Enable, cdp.Empty{}); err != nil {
			return err
		}
		for {
			select {
			case <-listening.Done():
				return fmt.Errorf("there is no worker for %s", origin)
			case list := <-registrations:
				for _, r := range list {
					if r.IsDeleted || !strings.HasPrefix(r.ScopeURL, origin+"/") {
						continue
					}
					var err error
					if event == "push" {
						_, err = cdp.Call(ctx, s, serviceworker.DeliverPushMessage, serviceworker.DeliverPushMessageParams{Origin: origin, RegistrationID: r.RegistrationID, Data: text})
					} else {
						_, err = cdp.Call(ctx, s, serviceworker.DispatchSyncEvent, serviceworker.DispatchSyncEventParams{Origin: origin, RegistrationID: r.RegistrationID, Tag: text, LastChance: true})
					}
					return err
				}
			}
		}
	})
}

// InstallErrors asks the browser itself why the page at url could not be installed; none means that it would offer it.
func (c *Browser) InstallErrors(url string) ([]string, error) {
	tab, closeTab := c.tab(30 * time.Second)
	defer closeTab()
	if err := chromedp.Do(tab, chromedp.Navigate(url), chromedp.Sleep(time.Second)); err != nil {
		return nil, err
	}
	return chromedp.Run(tab, func(ctx context.Context, t *chromedp.Target) ([]string, error) {
		answer, err := cdp.Call(ctx, t, page.GetInstallabilityErrors, cdp.Empty{})
		ids := []string{}
		for _, e := range answer.InstallabilityErrors {
			ids = append(ids, e.ErrorID)
		}
		return ids, err
	})
}

// refusals describes the browser's reasons against installing.
var refusals = map[string]string{
	"no-manifest":                         "no manifest was found on the page",
	"manifest-empty":                      "the manifest is empty, or could not be loaded",
	"manifest-parsing-or-network-error":   "the manifest could not be loaded or is not valid JSON",
	"start-url-not-valid":                 "start_url is not valid",
	"manifest-missing-name-or-short-name": "the manifest has neither name nor short_name",
	"manifest-display-not-supported":      "display is not standalone, fullscreen or minimal-ui",
	"manifest-missing-suitable-icon":      "the manifest has no icon of at least 144 by 144 pixels for any purpose",
	"no-acceptable-icon":                  "no icon of the manifest could be loaded and decoded",
	"cannot-download-icon":                "the icon could not be loaded",
	"no-icon-available":                   "the icon could not be loaded",
	"not-from-secure-origin":              "the page is not from a secure origin",
	"prefer-related-applications":         "prefer_related_applications is set",
	"in-incognito":                        "the window is private",
}

// InstallRefusals implements driver.Installer.
func (c *Browser) InstallRefusals(url string) (list []string, err error) {
	ids, err := c.InstallErrors(url)
	for _, id := range ids {
		text, known := refusals[id]
		if !known {
			text = "for another reason: " + strings.ReplaceAll(id, "-", " ")
		}
		list = append(list, text)
	}
	return list, err
}

// LoadTime opens pages one after the other in one warm tab and gives the mean time from the navigation to the load
// event.
func (c *Browser) LoadTime(urls []string) (time.Duration, error) {
	tab, closeTab := c.tab(2 * time.Minute)
	defer closeTab()
	if err := chromedp.Do(tab, chromedp.Navigate(urls[0])); err != nil {
		return 0, err
	}
	start := time.Now()
	for _, url := range urls {
		if err := chromedp.Do(tab, chromedp.Navigate(url)); err != nil {
			return 0, err
		}
	}
	return time.Since(start) / time.Duration(len(urls)), nil
}

// Manifests opens pages one after the other in one tab and gives, as JSON, what the browser makes of the manifest that
// each links to.
func (c *Browser) Manifests(urls []string) ([][]byte, error) {
	tab, closeTab := c.tab(5 * time.Minute)
	defer closeTab()
	var out [][]byte
	for _, url := range urls {
		if err := chromedp.Do(tab, chromedp.Navigate(url)); err != nil {
			return nil, err
		}
		text, err := chromedp.Run(tab, func(ctx context.Context, t *chromedp.Target) ([]byte, error) {
			answer, err := cdp.Call(ctx, t, page.GetAppManifest, page.GetAppManifestParams{})
			if err != nil {
				return nil, err
			}
			return json.Marshal(answer.Manifest)
		})
		if err != nil {
			return nil, fmt.Errorf("the manifest of %s: %w", url, err)
		}
		out = append(out, text)
	}
	return out, nil
}
