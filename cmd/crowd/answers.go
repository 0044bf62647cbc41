package main

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"sync"
	"time"
)

// answers is how long what took.
type answers struct {
	sync.Mutex
	took   map[string][]time.Duration
	status map[int]int
}

func (a *answers) note(name string, status int, took time.Duration) {
	a.Lock()
	defer a.Unlock()
	a.took[name] = append(a.took[name], took)
	a.status[status]++
}

// report prints it, what took longest first.
func (a *answers) report(lasted time.Duration) {
	var all []time.Duration
	names := slices.Collect(maps.Keys(a.took))
	for _, name := range names {
		all = append(all, a.took[name]...)
	}
	slices.SortFunc(names, func(x, y string) int { return cmp.Compare(share(a.took[y], 95), share(a.took[x], 95)) })
	fmt.Printf("\n%-46s %7s %9s %9s %9s\n", "together", "answers", "median", "95 %", "longest")
	line := func(name string, took []time.Duration) {
		fmt.Printf("%-46s %7d %6.1f ms %6.1f ms %6.1f ms\n", name, len(took), ms(median(took)), ms(share(took, 95)), ms(share(took, 100)))
	}
	for _, name := range names {
		line(name, a.took[name])
	}
	line("all", all)
	fmt.Printf("\n%d answers in %s; by status:", len(all), lasted)
	for _, status := range slices.Sorted(maps.Keys(a.status)) {
		fmt.Printf(" %d: %d", status, a.status[status])
	}
	fmt.Println()
}
