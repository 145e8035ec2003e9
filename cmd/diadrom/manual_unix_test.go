//go:build unix

package main

import (
	"os/exec"
	"syscall"
)

// own has a command and what it starts be a group of their own.
func own(cmd *exec.Cmd) { cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true} }

// endAll kills a command with all that it has started.
func endAll(cmd *exec.Cmd) {
	syscall.Kill(-cmd.Process.Pid, syscall.SIGKILL) //nolint:errcheck // they may have ended
}
