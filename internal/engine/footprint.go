package engine

import (
	"bytes"
	"os"
	"runtime"
	"runtime/metrics"
	"strconv"

	"tirelessowl/internal/domain"
)

// Footprint tells what the process takes of the machine.
func (c *Collector) Footprint() domain.Footprint {
	read := []metrics.Sample{{Name: "/memory/classes/heap/objects:bytes"}}
	metrics.Read(read)
	threads, _ := runtime.ThreadCreateProfile(nil)
	return domain.Footprint{Since: c.clock.Of(c.began), Goroutines: runtime.NumGoroutine(), Threads: threads,
		Heap: float64(read[0].Value.Uint64()), Resident: resident()}
}

// resident reads the second field of /proc/self/statm: pages of memory (proc(5)).
func resident() float64 {
	text, err := os.ReadFile("/proc/self/statm")
	fields := bytes.Fields(text)
	if err != nil || len(fields) < 2 {
		return 0
	}
	pages, _ := strconv.ParseInt(string(fields[1]), 10, 64)
	return float64(pages * int64(os.Getpagesize()))
}
