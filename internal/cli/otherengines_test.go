package cli

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/coder/websocket"
	"github.com/stretchr/testify/require"
)

// start runs a program until the test ends, or skips the test loudly where it is not installed.
func start(t *testing.T, env []string, name string, args ...string) *exec.Cmd {
	t.Helper()
	path, err := exec.LookPath(name)
	if err != nil {
		t.Skip("SKIPPED, NOT PROVEN IN THIS BROWSER: " + name + " is not installed here")
	}
	c := exec.Command(path, args...)
	c.Env = append(os.Environ(), env...)
	require.NoError(t, c.Start())
	t.Cleanup(func() { c.Process.Kill(); c.Wait() })
	return c
}

func freePort(t *testing.T) int {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port
}

// profile is an empty folder; browsers go on writing into it while they end.
func profile(t *testing.T) string {
	dir, err := os.MkdirTemp("", "profile")
	require.NoError(t, err)
	t.Cleanup(func() { os.RemoveAll(dir) })
	return dir
}

// firefox speaks WebDriver BiDi, one command after the other.
type firefox struct {
	conn *websocket.Conn
	id   int
}

func (f *firefox) call(method string, params map[string]any, into any) error {
	ctx, cancel := context.WithTimeout(context.Background(), 30*time.Second)
	defer cancel()
	f.id++
	text, err := json.Marshal(map[string]any{"id": f.id, "method": method, "params": params})
	if err != nil {
		return err
	}
	if err := f.conn.Write(ctx, websocket.MessageText, text); err != nil {
		return err
	}
	for {
		_, text, err := f.conn.Read(ctx)
		if err != nil {
			return err
		}
		var answer struct {
			ID      int
			Error   string
			Message string
			Result  json.RawMessage
		}
		if err := json.Unmarshal(text, &answer); err != nil || answer.ID != f.id {
			continue
		}
		if answer.Error != "" {
			return errors.New(method + ": " + answer.Error + ": " + answer.Message)
		}
		return json.Unmarshal(answer.Result, into)
	}
}

type firefoxTab struct {
	*firefox
	context string
}

func (f *firefoxTab) Load(url string) error {
	var none any
	return f.call("browsingContext.navigate", map[string]any{"context": f.context, "url": url, "wait": "complete"}, &none)
}

func (f *firefoxTab) Evaluate(expression string) (string, error) {
	var answer struct {
		Type             string
		Result           struct{ Value string }
		ExceptionDetails struct{ Text string }
	}
	err := f.call("script.evaluate", map[string]any{"expression": expression, "awaitPromise": true, "target": map[string]any{"context": f.context}}, &answer)
	if err == nil && answer.Type != "success" {
		err = errors.New(answer.ExceptionDetails.Text)
	}
	return answer.Result.Value, err
}

func (f *firefoxTab) Close() {
	var none any
	f.call("browsingContext.close", map[string]any{"context": f.context}, &none)
}

func TestBasicsInFirefox(t *testing.T) {
	port := freePort(t)
	name := "firefox-esr"
	if _, err := exec.LookPath(name); err != nil {
		name = "firefox"
	}
	start(t, nil, name, "--headless", "--no-remote", "--profile", profile(t), "--remote-debugging-port", fmt.Sprint(port))
	f := &firefox{}
	var err error
	for range 150 {
		ctx, cancel := context.WithTimeout(context.Background(), time.Second)
		f.conn, _, err = websocket.Dial(ctx, fmt.Sprintf("ws://127.0.0.1:%d/session", port), nil)
		cancel()
		if err == nil {
			break
		}
		time.Sleep(200 * time.Millisecond)
	}
	var none any
	if err == nil {
		f.conn.SetReadLimit(-1)
		err = f.call("session.new", map[string]any{"capabilities": map[string]any{}}, &none)
	}
	if err != nil {
		t.Skip("SKIPPED, NOT PROVEN IN FIREFOX: it is installed and does not start here: " + err.Error())
	}
	basics(t, func() tab {
		var made struct{ Context string }
		require.NoError(t, f.call("browsingContext.create", map[string]any{"type": "tab"}, &made))
		return &firefoxTab{f, made.Context}
	})
}

// webkit speaks WebDriver over HTTP; its one window is the tab.
type webkit struct{ session string }

func (w *webkit) call(path string, params map[string]any, into any) error {
	text, err := json.Marshal(params)
	if err != nil {
		return err
	}
	resp, err := http.Post(w.session+path, "application/json", bytes.NewReader(text))
	if err != nil {
		return err
	}
	defer resp.Body.Close()
	var answer struct{ Value json.RawMessage }
	if err := json.NewDecoder(resp.Body).Decode(&answer); err != nil {
		return err
	}
	if resp.StatusCode != 200 {
		return errors.New(path + ": " + string(answer.Value))
	}
	return json.Unmarshal(answer.Value, into)
}

func (w *webkit) Load(url string) error {
	var none any
	return w.call("/url", map[string]any{"url": url}, &none)
}

func (w *webkit) Evaluate(expression string) (string, error) {
	var text string
	err := w.call("/execute/async", map[string]any{"args": []any{}, "script": "const done = arguments[0]; Promise.resolve().then(() => " + expression + ").then(done, e => done('failed: ' + e))"}, &text)
	if err == nil && strings.HasPrefix(text, "failed: ") {
		err = errors.New(text)
	}
	return text, err
}

func (w *webkit) Close() {}

func TestBasicsInWebKit(t *testing.T) {
	browsers, _ := filepath.Glob("/usr/lib/*/webkit2gtk-4.1/MiniBrowser")
	if len(browsers) == 0 {
		t.Skip("SKIPPED, NOT PROVEN IN THIS BROWSER: WebKitGTK's MiniBrowser is not installed here")
	}
	read, write, err := os.Pipe()
	require.NoError(t, err)
	xvfb, err := exec.LookPath("Xvfb")
	if err != nil {
		t.Skip("SKIPPED, NOT PROVEN IN THIS BROWSER: Xvfb is not installed here")
	}
	screen := exec.Command(xvfb, "-displayfd", "3", "-screen", "0", "1280x800x24", "-nolisten", "tcp")
	screen.ExtraFiles = []*os.File{write}
	require.NoError(t, screen.Start())
	t.Cleanup(func() { screen.Process.Kill(); screen.Wait() })
	write.Close()
	display, err := bufio.NewReader(read).ReadString('\n')
	require.NoError(t, err)
	port := freePort(t)
	home := profile(t)
	start(t, []string{"DISPLAY=:" + strings.TrimSpace(display), "HOME=" + home, "XDG_CACHE_HOME=" + home, "XDG_DATA_HOME=" + home}, "WebKitWebDriver", fmt.Sprintf("--port=%d", port))
	root := fmt.Sprintf("http://127.0.0.1:%d", port)
	w := &webkit{session: root}
	var made struct{ SessionID string }
	capabilities := map[string]any{"webkitgtk:browserOptions": map[string]any{"binary": browsers[0], "args": []string{"--automation"}}}
	for range 100 {
		if err = w.call("/session", map[string]any{"capabilities": map[string]any{"alwaysMatch": capabilities}}, &made); err == nil || !strings.Contains(err.Error(), "refused") {
			break
		}
		time.Sleep(200 * time.Millisecond)
	}
	if err != nil {
		t.Skip("SKIPPED, NOT PROVEN IN WEBKIT: it is installed and does not start here: " + err.Error())
	}
	w.session = root + "/session/" + made.SessionID
	t.Cleanup(func() {
		end, _ := http.NewRequest(http.MethodDelete, w.session, nil)
		if resp, err := http.DefaultClient.Do(end); err == nil {
			resp.Body.Close()
		}
	})
	basics(t, func() tab { return w })
}
