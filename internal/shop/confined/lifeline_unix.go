//go:build unix

package confined

import (
	"os"
	"os/exec"
	"syscall"
	"time"
)

// lifeline is a pipe of which the child has one end. Where the parent is gone, it breaks.
func lifeline(cmd *exec.Cmd) (theirs, ours *os.File, err error) {
	theirs, ours, err = os.Pipe()
	if err == nil {
		cmd.ExtraFiles = []*os.File{theirs}
	}
	return theirs, ours, err
}

// parentGone waits for the end of the parent.
func parentGone() bool {
	_, _ = os.NewFile(3, "parent").Read(make([]byte, 1)) // it is never written to
	return true
}

// overTime says whether the kernel ended a process that used up its processor time.
func overTime(state *os.ProcessState, most time.Duration) bool {
	status, ok := state.Sys().(syscall.WaitStatus)
	return ok && status.Signaled() && (status.Signal() == syscall.SIGXCPU ||
		status.Signal() == syscall.SIGKILL && state.UserTime()+state.SystemTime() >= most)
}

// processorTime is how long this process has used processors.
func processorTime() time.Duration {
	var used syscall.Rusage
	if syscall.Getrusage(syscall.RUSAGE_SELF, &used) != nil {
		return 0
	}
	return time.Duration(used.Utime.Nano() + used.Stime.Nano())
}
