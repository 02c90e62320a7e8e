//go:build !unix

package driver

import "os/exec"

func together(*exec.Cmd) {}

// killAll ends a program.
func killAll(c *exec.Cmd) { c.Process.Kill() }
