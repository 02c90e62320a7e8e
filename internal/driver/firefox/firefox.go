// Package firefox drives a Firefox by WebDriver BiDi.
package firefox

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"time"

	"github.com/coder/websocket"

	"tachyform/internal/driver"
)

// Browser is a running Firefox. Commands go one after the other.
type Browser struct {
	process *driver.Process
	conn    *websocket.Conn
	id      int
	version string
}

// preferences of the profile: the language that predictions assume.
const preferences = `user_pref("intl.accept_languages", "en-US, en");
`

// Start starts a Firefox without a window; the error wraps driver.ErrNotHere where there is none that starts.
func Start() (*Browser, error) { return StartWith(driver.Options{}) }

// StartWith starts a Firefox.
func StartWith(o driver.Options) (*Browser, error) {
	name := o.Path
	if name == "" {
		name = "firefox-esr"
		if _, err := exec.LookPath(name); err != nil {
			name = "firefox"
		}
	}
	port, err := driver.FreePort()
	if err != nil {
		return nil, err
	}
	profile, err := os.MkdirTemp("", "profile")
	if err != nil {
		return nil, err
	}
	if err := os.WriteFile(filepath.Join(profile, "user.js"), []byte(preferences), 0o600); err != nil {
		os.RemoveAll(profile)
		return nil, err
	}
	b := &Browser{}
	arguments := []string{"--no-remote", "--profile", profile, "--remote-debugging-port", fmt.Sprint(port)}
	if !o.Visible {
		arguments = append(arguments, "--headless")
	}
	if b.process, err = driver.Run(nil, []string{profile}, name, arguments...); err != nil {
		os.RemoveAll(profile)
		return nil, err
	}
	for range 150 {
		ctx, cancel := context.WithTimeout(context.Background(), time.Second)
		b.conn, _, err = websocket.Dial(ctx, fmt.Sprintf("ws://127.0.0.1:%d/session", port), nil)
		cancel()
		if err == nil {
			break
		}
		time.Sleep(200 * time.Millisecond)
	}
	if err == nil {
		b.conn.SetReadLimit(-1)
		var made struct {
			Capabilities struct{ BrowserVersion string }
		}
		err = b.call("session.new", map[string]any{"capabilities": map[string]any{}}, &made)
		b.version = driver.Major(made.Capabilities.BrowserVersion, 1)
	}
	if err != nil {
		b.Close()
		return nil, fmt.Errorf("%w: it is installed and does not start: %w", driver.ErrNotHere, err)
	}
	return b, nil
}

// Version implements driver.Browser.
func (b *Browser) Version() string { return b.version }

// Close ends the browser and removes its profile.
func (b *Browser) Close() {
	if b.conn != nil {
		b.conn.CloseNow()
	}
	b.process.End()
}

// call sends a command and waits for its answer (WebDriver BiDi, 3).
func (b *Browser) call(method string, params map[string]any, into any) error {
	ctx, cancel := context.WithTimeout(context.Background(), 30*time.Second)
	defer cancel()
	b.id++
	text, err := json.Marshal(map[string]any{"id": b.id, "method": method, "params": params})
	if err != nil {
		return err
	}
	if err := b.conn.Write(ctx, websocket.MessageText, text); err != nil {
		return err
	}
	for {
		_, text, err := b.conn.Read(ctx)
		if err != nil {
			return err
		}
		var answer struct {
			ID      int
			Error   string
			Message string
			Result  json.RawMessage
		}
		if err := json.Unmarshal(text, &answer); err != nil || answer.ID != b.id {
			continue
		}
		if answer.Error != "" {
			return errors.New(method + ": " + answer.Error + ": " + answer.Message)
		}
		return json.Unmarshal(answer.Result, into)
	}
}

// NewTab opens a tab.
func (b *Browser) NewTab() (driver.Tab, error) {
	var made struct{ Context string }
	if err := b.call("browsingContext.create", map[string]any{"type": "tab"}, &made); err != nil {
		return nil, err
	}
	return &tab{b, made.Context}, nil
}

type tab struct {
	*Browser
	context string
}

func (t *tab) Load(url string) error {
	var none any
	return t.call("browsingContext.navigate", map[string]any{"context": t.context, "url": url, "wait": "complete"}, &none)
}

func (t *tab) Evaluate(expression string) (string, error) {
	var answer struct {
		Type             string
		Result           struct{ Value string }
		ExceptionDetails struct{ Text string }
	}
	err := t.call("script.evaluate", map[string]any{"expression": expression, "awaitPromise": true,
		"target": map[string]any{"context": t.context}}, &answer)
	if err == nil && answer.Type != "success" {
		err = errors.New(answer.ExceptionDetails.Text)
	}
	return answer.Result.Value, err
}

func (t *tab) Resize(width, height int) error {
	var none any
	return t.call("browsingContext.setViewport", map[string]any{"context": t.context, "viewport": map[string]any{"width": width, "height": height}}, &none)
}

func (t *tab) Picture() ([]byte, error) {
	var answer struct{ Data []byte }
	err := t.call("browsingContext.captureScreenshot", map[string]any{"context": t.context}, &answer)
	return answer.Data, err
}

func (t *tab) Close() {
	var none any
	_ = t.call("browsingContext.close", map[string]any{"context": t.context}, &none)
}
