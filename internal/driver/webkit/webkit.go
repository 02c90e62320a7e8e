// Package webkit drives WebKitGTK's MiniBrowser by WebDriver, on a screen of its own.
package webkit

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	"tachyform/internal/driver"
)

// Browser is a running MiniBrowser; its one window is its one tab.
type Browser struct {
	screen, driver *driver.Process
	session        string
	version        string
}

// Start starts a MiniBrowser under Xvfb; the error wraps driver.ErrNotHere where there is none that starts.
func Start() (*Browser, error) { return StartWith(driver.Options{}) }

// StartWith starts a MiniBrowser, on the user's screen if it is visible.
func StartWith(o driver.Options) (b *Browser, err error) {
	browsers := []string{o.Path}
	if o.Path == "" {
		browsers, _ = filepath.Glob("/usr/lib/*/webkit2gtk-4.1/MiniBrowser")
	}
	if len(browsers) == 0 {
		return nil, fmt.Errorf("%w: WebKitGTK's MiniBrowser is not installed", driver.ErrNotHere)
	}
	b = &Browser{}
	defer func() {
		if err != nil {
			b.Close()
			err = fmt.Errorf("%w: %w", driver.ErrNotHere, err)
		}
	}()
	display := os.Getenv("DISPLAY")
	if !o.Visible {
		if display, err = b.startScreen(); err != nil {
			return b, err
		}
	}
	port, err := driver.FreePort()
	if err != nil {
		return b, err
	}
	home, err := os.MkdirTemp("", "profile")
	if err != nil {
		return b, err
	}
	if b.driver, err = driver.Run([]string{"LANGUAGE=en_US:en", "DISPLAY=" + display, "HOME=" + home, "XDG_CACHE_HOME=" +
		home, "XDG_DATA_HOME=" + home}, []string{home}, "WebKitWebDriver", fmt.Sprintf("--port=%d", port)); err != nil {
		os.RemoveAll(home)
		return b, err
	}
	root := fmt.Sprintf("http://127.0.0.1:%d", port)
	b.session = root
	var made struct {
		SessionID    string
		Capabilities struct{ BrowserVersion string }
	}
	capabilities := map[string]any{"webkitgtk:browserOptions": map[string]any{"binary": browsers[0],
		"args": []string{"--automation"}}}
	for range 100 {
		// Until the driver listens, connections are refused.
		err = b.call("/session", map[string]any{"capabilities": map[string]any{"alwaysMatch": capabilities}}, &made)
		if _, answered := err.(*answerError); err == nil || answered {
			break
		}
		time.Sleep(200 * time.Millisecond)
	}
	b.session, b.version = root+"/session/"+made.SessionID, driver.Major(made.Capabilities.BrowserVersion, 2)
	return b, err
}

// startScreen starts a screen that nobody sees and gives its name.
func (b *Browser) startScreen() (string, error) {
	path, err := exec.LookPath("Xvfb")
	if err != nil {
		return "", errors.New("there is no Xvfb here")
	}
	read, write, err := os.Pipe()
	if err != nil {
		return "", err
	}
	defer read.Close()
	screen := exec.Command(path, "-displayfd", "3", "-screen", "0", "1280x800x24", "-nolisten", "tcp")
	screen.ExtraFiles = []*os.File{write}
	err = screen.Start()
	write.Close()
	if err != nil {
		return "", err
	}
	b.screen = driver.Started(screen)
	number, err := bufio.NewReader(read).ReadString('\n')
	return ":" + strings.TrimSpace(number), err
}

// Version implements driver.Browser.
func (b *Browser) Version() string { return b.version }

// Close ends browser, driver and screen.
func (b *Browser) Close() {
	if strings.Contains(b.session, "/session/") {
		if end, err := http.NewRequest(http.MethodDelete, b.session, nil); err == nil {
			if resp, err := http.DefaultClient.Do(end); err == nil {
				resp.Body.Close()
			}
		}
	}
	b.driver.End()
	b.screen.End()
}

// answerError is an answer of the driver that says what went wrong.
type answerError struct{ text string }

func (e *answerError) Error() string { return e.text }

// get requests a value (WebDriver, 6).
func (b *Browser) get(path string, into any) error {
	resp, err := http.Get(b.session + path)
	if err != nil {
		return err
	}
	return readAnswer(path, resp, into)
}

// call sends a command (WebDriver, 6).
func (b *Browser) call(path string, params map[string]any, into any) error {
	text, err := json.Marshal(params)
	if err != nil {
		return err
	}
	resp, err := http.Post(b.session+path, "application/json", bytes.NewReader(text))
	if err != nil {
		return err
	}
	return readAnswer(path, resp, into)
}

func readAnswer(path string, resp *http.Response, into any) error {
	defer resp.Body.Close()
	var answer struct{ Value json.RawMessage }
	if err := json.NewDecoder(resp.Body).Decode(&answer); err != nil {
		return err
	}
	if resp.StatusCode != http.StatusOK {
		return &answerError{path + ": " + string(answer.Value)}
	}
	return json.Unmarshal(answer.Value, into)
}

// NewTab gives the one tab.
func (b *Browser) NewTab() (driver.Tab, error) { return tab{b}, nil }

type tab struct{ *Browser }

func (t tab) Load(url string) error {
	var none any
	return t.call("/url", map[string]any{"url": url}, &none)
}

func (t tab) Evaluate(expression string) (string, error) {
	var answer struct {
		Text  string
		Error string
	}
	script := "const done = arguments[0]; Promise.resolve().then(() => " + expression +
		").then((text) => done({ Text: String(text) }), (error) => done({ Error: String(error) }))"
	err := t.call("/execute/async", map[string]any{"args": []any{}, "script": script}, &answer)
	if err == nil && answer.Error != "" {
		err = errors.New(answer.Error)
	}
	return answer.Text, err
}

func (t tab) Resize(width, height int) error {
	var none any
	return t.call("/window/rect", map[string]any{"width": width, "height": height}, &none)
}

func (t tab) Picture() (data []byte, err error) {
	err = t.get("/screenshot", &data)
	return data, err
}

// Close leaves the tab open: it is the only one.
func (t tab) Close() {}
