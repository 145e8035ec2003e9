package products

import (
	"runtime/debug"
	"sync"
)

// A long list is read, checked and saved within a second or two, and leaves much garbage, which it does not need back
// before it is done: collecting it less often takes a sixth off the whole (BenchmarkProductList).
var collecting struct {
	sync.Mutex
	lists int // that are imported
	usual int // the setting without them
}

// rareCollections is how much the heap may grow, in per cent, while a list is imported.
const rareCollections = 400

// collectRarely has garbage be collected less often until what it gives is called.
func collectRarely() (done func()) {
	collecting.Lock()
	defer collecting.Unlock()
	if collecting.lists++; collecting.lists == 1 {
		collecting.usual = debug.SetGCPercent(rareCollections)
	}
	return func() {
		collecting.Lock()
		defer collecting.Unlock()
		if collecting.lists--; collecting.lists == 0 {
			debug.SetGCPercent(collecting.usual)
		}
	}
}
