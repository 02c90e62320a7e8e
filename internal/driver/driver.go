// Package driver is the interface to real browsers: tabs that load URLs and evaluate expressions. Each browser engine has its own
// subpackage.
package driver

import (
	"context"
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
	"strings"
	"sync"
)

// ErrNotHere is the error for a browser that is not installed or does not start.
var ErrNotHere = errors.New("browser not available")

// Browser is a running browser with a new profile.
type Browser interface {
	// NewTab opens a tab. A browser with a single window returns that window.
	NewTab() (Tab, error)
	// Version returns the major version, "" if it is unknown.
	Version() string
	// Close ends the browser and removes its profile.
	Close()
}

// Installer is a Browser that reports whether it would install the app of a page.
type Installer interface {
	// InstallRefusals returns the reasons against installing, in plain words; none means that the browser would offer it.
	InstallRefusals(url string) ([]string, error)
}

// Major returns the major version of one such as 156.0.1 or, with a product, HeadlessChrome/156.0.1. Versions of WebKitGTK have two parts
// that count.
func Major(version string, parts int) string {
	_, after, named := strings.Cut(version, "/")
	if named {
		version = after
	}
	list := strings.Split(version, ".")
	return strings.Join(list[:min(parts, len(list))], ".")
}

// Deliverer is a Browser with commands for events that need no page.
type Deliverer interface {
	// Deliver sends a push or sync event with a text or tag to the workers of an origin. tab shows a page of that origin.
	Deliver(tab Tab, origin, event, text string) error
}

// Console is a Browser that reports the console output of its service workers.
type Console interface {
	// Console calls hear for each line until the context or the browser ends.
	Console(ctx context.Context, hear func(line string))
}

// Options say how a browser is started.
type Options struct {
	// Path is the program, "" for the usual one.
	Path string
	// Visible opens a window. Without it the browser is headless.
	Visible bool
}

// Tab is a tab of a browser.
type Tab interface {
	// Load navigates to a URL and waits for the load event.
	Load(url string) error
	// Evaluate returns the value of an expression as a string. It waits for a promise.
	Evaluate(expression string) (string, error)
	// Resize sets the size of the window in CSS pixels.
	Resize(width, height int) error
	// Picture returns the visible part of the page as a PNG.
	Picture() ([]byte, error)
	Close()
}

// FreePort returns a free port of this machine.
func FreePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, err
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}

// Process is a running program with its temporary folders.
type Process struct {
	cmd  *exec.Cmd
	dirs []string
	end  sync.Once
}

// Run starts a program with additional environment variables. End removes the folders. The error wraps ErrNotHere if the program is
// not installed.
func Run(env, dirs []string, name string, args ...string) (*Process, error) {
	path, err := exec.LookPath(name)
	if err != nil {
		return nil, fmt.Errorf("%w: %s is not installed", ErrNotHere, name)
	}
	c := exec.Command(path, args...)
	c.Env = append(os.Environ(), env...)
	together(c)
	if err := c.Start(); err != nil {
		return nil, fmt.Errorf("%w: %w", ErrNotHere, err)
	}
	return &Process{cmd: c, dirs: dirs}, nil
}

// End kills the program with all its child processes and removes its folders. Browsers write to them until they have exited.
func (p *Process) End() {
	if p == nil {
		return
	}
	p.end.Do(func() {
		killAll(p.cmd)
		p.cmd.Wait()
		for _, d := range p.dirs {
			os.RemoveAll(d)
		}
	})
}

// Started returns the Process of a program that is already running.
func Started(c *exec.Cmd) *Process { return &Process{cmd: c} }
