// Package heap bounds how much garbage piles up while something large is made. The bound is the
// process's, so it is set and lifted here alone.
package heap

import (
	"math"
	"runtime"
	"runtime/debug"
	"sync"
)

// bounds are those in force: how many callers asked for each percentage.
var bounds struct {
	sync.Mutex
	callers map[int]int
	outside int // the setting when none is in force
}

// Bound keeps garbage below percent of what lives (GOGC) until done is called. Of several in
// force at once the lowest holds; after the last one the setting is what it was before the
// first. It may be called by several goroutines at once, done once by each.
func Bound(percent int) (done func()) {
	bounds.Lock()
	defer bounds.Unlock()
	if len(bounds.callers) == 0 {
		bounds.callers = map[int]int{}
		bounds.outside = debug.SetGCPercent(percent)
	}
	bounds.callers[percent]++
	apply()
	return sync.OnceFunc(func() {
		bounds.Lock()
		defer bounds.Unlock()
		if bounds.callers[percent]--; bounds.callers[percent] == 0 {
			delete(bounds.callers, percent)
		}
		apply()
	})
}

// apply sets the lowest percentage in force, else the one from outside.
func apply() {
	lowest := math.MaxInt
	for percent := range bounds.callers {
		lowest = min(lowest, percent)
	}
	if lowest == math.MaxInt {
		lowest = bounds.outside
	}
	debug.SetGCPercent(lowest)
}

// BoundWithReserve is Bound, counted as if reserve more bytes lived: a small heap is never
// collected, a large one is kept tight. The reserve takes address space, no memory.
func BoundWithReserve(percent, reserve int) (done func()) {
	ballast := make([]byte, reserve) // never touched
	lift := Bound(percent)
	return func() {
		lift()
		runtime.KeepAlive(ballast)
	}
}
