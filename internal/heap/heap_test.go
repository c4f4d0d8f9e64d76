package heap

import (
	"math/rand/v2"
	"runtime/debug"
	"slices"
	"sync"
	"testing"
)

// setting reads GOGC, which can only be read by setting it.
func setting() int {
	percent := debug.SetGCPercent(100)
	debug.SetGCPercent(percent)
	return percent
}

// Of bounds that begin and end in any order the lowest in force holds, and after the last one
// the setting is what it was.
func TestBound_lowestInForceHolds(t *testing.T) {
	before := setting()
	r := rand.New(rand.NewPCG(1, 2))
	type bound struct {
		percent int
		done    func()
	}
	var inForce []bound
	for range 2000 {
		if len(inForce) == 0 || r.IntN(2) == 0 {
			percent := 1 + r.IntN(60)
			done := Bound(percent)
			if r.IntN(4) == 0 {
				done()
				done = BoundWithReserve(percent, 1<<10)
			}
			inForce = append(inForce, bound{percent, done})
		} else {
			i := r.IntN(len(inForce))
			inForce[i].done()
			inForce[i].done() // a second time does nothing
			inForce = slices.Delete(inForce, i, i+1)
		}
		want := before
		for i, b := range inForce {
			if i == 0 || b.percent < want {
				want = b.percent
			}
		}
		if got := setting(); got != want {
			t.Fatalf("GOGC is %d, want %d", got, want)
		}
	}
	for _, b := range inForce {
		b.done()
	}
	var wait sync.WaitGroup
	for i := range 50 {
		wait.Go(func() { Bound(i + 1)() })
	}
	wait.Wait()
	if got := setting(); got != before {
		t.Errorf("GOGC is %d, was %d", got, before)
	}
}
