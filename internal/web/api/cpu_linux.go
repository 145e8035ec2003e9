package api

import (
	"runtime"
	"time"

	"golang.org/x/sys/unix"
)

// processor begins to measure the processor time of what this goroutine does, which stays on its thread meanwhile:
// waiting for a carrier does not count. spent ends that.
func processor() (spent func() time.Duration) {
	runtime.LockOSThread()
	begun := threadTime()
	return func() time.Duration {
		d := threadTime() - begun
		runtime.UnlockOSThread()
		return d
	}
}

func threadTime() time.Duration {
	var at unix.Timespec
	if unix.ClockGettime(unix.CLOCK_THREAD_CPUTIME_ID, &at) != nil {
		return 0
	}
	return time.Duration(at.Nano())
}
