package main

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync"
	"time"
)

// outcome is what was seen under an attack.
type outcome struct {
	attack   attack
	answers  map[int]int // by status; 0 where none came
	growth   int64       // of memory, at its peak
	waited   []time.Duration
	unserved int // pages that somebody else did not get
}

// breath is how long each enemy waits from one request to the next: all of it runs on one
// machine, and what the enemies themselves take of it says nothing.
const breath = 50 * time.Millisecond

// tally counts answers.
type tally struct {
	mu sync.Mutex
	of map[int]int
}

func (t *tally) note(status int) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.of[status]++
}

// under lets an attack last for a while, and looks meanwhile.
func (w *world) under(ctx context.Context, a attack, lasts time.Duration) (outcome, error) {
	o := outcome{attack: a}
	before, err := w.settled(ctx)
	if err != nil {
		return o, err
	}
	ctx, end := context.WithTimeout(ctx, lasts)
	defer end()
	t := &tally{of: map[int]int{}}
	var all sync.WaitGroup
	for range a.clients {
		all.Go(func() {
			for ctx.Err() == nil {
				t.note(a.once(ctx, w))
				time.Sleep(breath)
			}
		})
	}
	all.Go(func() { o.waited, o.unserved = w.bystander(ctx) })
	all.Wait()
	o.answers, o.growth = t.of, w.mostMemory()-before
	return o, nil
}

// settled waits until memory of what was before is given back, and returns how much is taken.
func (w *world) settled(ctx context.Context) (int64, error) {
	least := w.memory()
	for calm := 0; calm < 10; {
		select {
		case <-ctx.Done():
			return 0, ctx.Err()
		case <-time.After(100 * time.Millisecond):
		}
		if now := w.memory(); now < least-1<<20 {
			least, calm = now, 0
		} else {
			calm++
		}
	}
	return w.memory(), w.forgetPeak()
}

// bystander looks at pages as somebody else does.
func (w *world) bystander(ctx context.Context) (waited []time.Duration, unserved int) {
	for n := 0; ctx.Err() == nil; n++ {
		began := time.Now()
		code := status(context.WithoutCancel(ctx), w.person, at+[]string{"/", "/devices", "/incidents"}[n%3])
		waited = append(waited, time.Since(began))
		if code != 200 {
			unserved++
		}
		select {
		case <-ctx.Done():
		case <-time.After(150 * time.Millisecond):
		}
	}
	slices.Sort(waited)
	return waited, unserved
}

func (o outcome) p95() time.Duration {
	if len(o.waited) == 0 {
		return 0
	}
	return o.waited[len(o.waited)*95/100]
}

func (o outcome) String() string {
	var said []string
	total := 0
	for _, code := range slices.Sorted(maps.Keys(o.answers)) {
		said = append(said, fmt.Sprintf("%d × %d", o.answers[code], code))
		total += o.answers[code]
	}
	longest := time.Duration(0)
	if len(o.waited) > 0 {
		longest = o.waited[len(o.waited)-1]
	}
	return fmt.Sprintf("%-44s %9d %6.1f MB %6.0f ms %5.0f ms  %s", o.attack.name, total, float64(o.growth)/(1<<20),
		float64(o.p95())/1e6, float64(longest)/1e6, strings.Join(said, ", "))
}

// problems are what did not hold; how long pages took is judged where that is timed.
func (o outcome) problems(timed bool) (out []string) {
	if o.growth > mostGrowth {
		out = append(out, fmt.Sprintf("memory grew by %d MB", o.growth>>20))
	}
	if timed && o.p95() > mostWaited {
		out = append(out, "pages of somebody else took "+o.p95().String())
	}
	if o.unserved > 0 {
		out = append(out, fmt.Sprintf("somebody else did not get %d pages", o.unserved))
	}
	for code, n := range o.answers {
		if code != 0 && !slices.Contains(o.attack.allowed, code) {
			out = append(out, fmt.Sprintf("%d answers with the status %d", n, code))
		}
	}
	return out
}
