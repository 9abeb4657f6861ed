// Package fuzzing bounds what the reading of foreign input may take in tests.
package fuzzing

import (
	"runtime"
	"time"
)

// Bound ends the process where the work does not come to an end in a minute, or
// takes two gigabytes, which is far from what any sound input needs; the
// answer takes the watch away. A loop without an end cannot be stopped in a
// gentler way.
func Bound() (done func()) {
	stop := make(chan struct{})
	go func() {
		tick := time.NewTicker(20 * time.Millisecond)
		defer tick.Stop()
		late := time.After(time.Minute)
		for {
			select {
			case <-stop:
				return
			case <-late:
				panic("it does not come to an end")
			case <-tick.C:
				var m runtime.MemStats
				if runtime.ReadMemStats(&m); m.HeapAlloc > 2<<30 {
					panic("it takes memory without bound")
				}
			}
		}
	}()
	return func() { close(stop) }
}
