package crash

import (
	"runtime"
	"sync"
	"sync/atomic"
)

// Each calls do(0) to do(n-1) on as many goroutines as there are processors and waits for all calls. If one panics, no
// further call begins, and Each panics with the *Crash in the caller's goroutine.
func Each(n int, do func(i int)) {
	var next atomic.Int64
	var first atomic.Pointer[Crash]
	var wait sync.WaitGroup
	for range min(n, runtime.GOMAXPROCS(0)) {
		wait.Add(1)
		go func() {
			defer wait.Done()
			defer func() {
				if p := recover(); p != nil {
					first.CompareAndSwap(nil, From(p))
				}
			}()
			for first.Load() == nil {
				i := int(next.Add(1)) - 1
				if i >= n {
					return
				}
				do(i)
			}
		}()
	}
	wait.Wait()
	if c := first.Load(); c != nil {
		panic(c)
	}
}
