package main

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"sync"
	"time"
)

// account is what should be, and what was found instead.
type account struct {
	*world
	random  *rand.Rand
	mu      sync.Mutex
	outages []outage
	wrongs  []string
	figures []string
}

// outage is a device that was stopped on purpose.
type outage struct {
	device   string
	from, to time.Time
}

func (a *account) wrong(format string, args ...any) {
	a.mu.Lock()
	defer a.mu.Unlock()
	a.wrongs = append(a.wrongs, fmt.Sprintf(format, args...))
	fmt.Printf("          WRONG: "+format+"\n", args...)
}

func (a *account) figure(format string, args ...any) {
	a.figures = append(a.figures, fmt.Sprintf(format, args...))
}

// tell says how it went.
func (a *account) tell() error {
	for _, f := range a.figures {
		fmt.Println(" ", f)
	}
	if len(a.wrongs) > 0 {
		return fmt.Errorf("%d things went wrong:\n  %s", len(a.wrongs), strings.Join(a.wrongs, "\n  "))
	}
	fmt.Println("nothing lost, nothing doubled")
	return nil
}

// balance compares what devices answered with what was stored, and what was broken
// with who was told.
func (a *account) balance(ctx context.Context) error {
	until, greetings := time.Now(), a.greetings(ctx)
	stored, err := a.export()
	if err != nil {
		return err
	}
	a.samples(ctx, until, greetings, stored)
	a.mails(ctx, stored)
	a.tickets()
	slices.Sort(a.starts)
	slices.Sort(a.stops)
	a.figure("%d starts, the longest %s; %d stops, the longest %s", len(a.starts), last(a.starts), len(a.stops), last(a.stops))
	if last(a.stops) > longestStop {
		a.wrong("a stop took %s", last(a.stops))
	}
	return nil
}

func last(sorted []time.Duration) time.Duration {
	if len(sorted) == 0 {
		return 0
	}
	return sorted[len(sorted)-1].Round(10 * time.Millisecond)
}
