// Package memory says how much of it the program takes before it looks for what nobody holds any more.
package memory

import (
	"runtime"
	"runtime/debug"
)

// Percent is how much of what is held may be garbage, in percent: the first time that is looked for is
// with 24 MB, which most commands do not come to.
const Percent = 600

// small is how many bytes the program takes before it collects more often.
const small = 64 << 20

// CollectSeldom makes short commands fast and long ones small: what a command holds is mostly
// little, and collecting less often saves a tenth of its time. Where it holds more, the memory
// is bounded by half as much again.
func CollectSeldom() {
	debug.SetGCPercent(Percent)
	debug.SetMemoryLimit(small)
	watch()
}

// watch sets the bound anew after each collection: an object that nothing holds is looked at then.
func watch() {
	runtime.SetFinalizer(new([16]byte), func(*[16]byte) {
		var now runtime.MemStats
		runtime.ReadMemStats(&now)
		debug.SetMemoryLimit(max(small, int64(now.HeapAlloc)*3/2))
		watch()
	})
}
