// Package driver says what is asked of real browsers: tabs that open addresses and evaluate expressions. Each kind of
// browser has a package of its own beside it.
package driver

import (
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
)

// ErrNotHere says that a browser is not installed on this machine, or does not start here.
var ErrNotHere = errors.New("not here")

// Browser is a running browser with a new profile.
type Browser interface {
	// NewTab opens a tab; in browsers that can be driven in one window alone it gives that.
	NewTab() (Tab, error)
	// Close ends the browser and removes its profile.
	Close()
}

// Tab is a tab of a browser.
type Tab interface {
	// Load opens an address and waits until its page has loaded.
	Load(url string) error
	// Evaluate gives the text that an expression, or the promise that it is, comes to on the page.
	Evaluate(expression string) (string, error)
	Close()
}

// FreePort gives a port of this machine that nobody listens at.
func FreePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, err
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}

// Process is a running program and what has to be put away after it.
type Process struct {
	cmd  *exec.Cmd
	dirs []string
}

// Run starts a program with more variables in its environment. The folders are removed when it is ended. The error
// wraps ErrNotHere where the program is not installed.
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
	return &Process{c, dirs}, nil
}

// End kills the program with all that it has started, and removes its folders; browsers go on writing into them while they end.
func (p *Process) End() {
	if p == nil {
		return
	}
	killAll(p.cmd)
	p.cmd.Wait()
	for _, d := range p.dirs {
		os.RemoveAll(d)
	}
}

// Started is the process of a program that runs already.
func Started(c *exec.Cmd) *Process { return &Process{cmd: c} }
