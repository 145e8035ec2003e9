//go:build !linux

package api

import "time"

// processor measures the time on the clock where a thread's own cannot be had.
func processor() (spent func() time.Duration) {
	begun := time.Now()
	return func() time.Duration { return time.Since(begun) }
}
