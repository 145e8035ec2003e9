//go:build !unix

package confined

import (
	"os"
	"os/exec"
	"time"
)

// lifeline is a pipe that nobody else has: the child ends where it writes to a parent that is gone, or at its deadline.
func lifeline(*exec.Cmd) (theirs, ours *os.File, err error) { return os.Pipe() }

func parentGone() bool { return false }

func overTime(*os.ProcessState, time.Duration) bool { return false }

// processorTime is not known here; the deadline holds.
func processorTime() time.Duration { return 0 }
