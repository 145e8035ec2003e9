package upload

import (
	"runtime/debug"
	"sync"
)

// Collecting is how often garbage is collected while something is done with a file.
type Collecting int

// A preview leaves much behind that was read (10,000 drawn areas some hundred MB), and is collected often, so that the
// server does not grow by it. A long list that is made the products of a shop is read, checked and saved within a second or
// two, and is collected rarely: that takes a sixth off the whole (BenchmarkProductList).
const (
	Often Collecting = iota
	Rarely
	ways
)

// percents are those of the garbage collector (GOGC).
var percents = [ways]int{Often: 50, Rarely: 400}

// collecting counts what is done now in each way, with the percentage of before the first.
var collecting struct {
	sync.Mutex
	now    [ways]int
	before int
}

// Collect has garbage be collected often or rarely until its function is called. What is done rarely decides where both
// are done.
func Collect(how Collecting) (end func()) {
	collecting.Lock()
	defer collecting.Unlock()
	if collecting.now == [ways]int{} {
		collecting.before = debug.SetGCPercent(percents[how])
	}
	collecting.now[how]++
	apply()
	return func() {
		collecting.Lock()
		defer collecting.Unlock()
		collecting.now[how]--
		apply()
	}
}

func apply() {
	percent := collecting.before
	for how, n := range collecting.now { // the last counts
		if n > 0 {
			percent = percents[how]
		}
	}
	debug.SetGCPercent(percent)
}
