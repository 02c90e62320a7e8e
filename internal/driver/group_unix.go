//go:build unix

package driver

import (
	"os/exec"
	"syscall"
)

// together has a program and all that it starts end together.
func together(c *exec.Cmd) { c.SysProcAttr = &syscall.SysProcAttr{Setpgid: true} }

// killAll ends a program and all that it has started.
func killAll(c *exec.Cmd) {
	if syscall.Kill(-c.Process.Pid, syscall.SIGKILL) != nil {
		c.Process.Kill()
	}
}
