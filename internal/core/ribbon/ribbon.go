// Package ribbon turns transitions into strips of health over time.
package ribbon

import (
	"time"

	"tirelessowl/internal/domain"
)

// Change is one change of health.
type Change struct {
	At       time.Time
	From, To domain.Health
}

// Strip returns the worst health in each of n equal slots between two times.
// changes must be ordered by time; now is the health at the end. Where no
// change is known the health of the neighbouring time holds.
func Strip(changes []Change, now domain.Health, from, to time.Time, n int) []domain.Health {
	slots := make([]domain.Health, n)
	width := to.Sub(from)
	if n == 0 || width <= 0 {
		return slots
	}
	current := now
	if len(changes) > 0 {
		current = changes[0].From
	}
	next := 0
	for i := range slots {
		end := from.Add(width * time.Duration(i+1) / time.Duration(n))
		// Changes before the first slot only set the state it begins with.
		for next < len(changes) && changes[next].At.Before(from) {
			current = changes[next].To
			next++
		}
		worst := current
		for next < len(changes) && changes[next].At.Before(end) {
			current = changes[next].To
			worst = domain.Worse(worst, current)
			next++
		}
		slots[i] = worst
	}
	return slots
}

// Add makes each slot of a strip the worse of itself and that of another of
// the same length; an empty one becomes a copy of the other.
func Add(to []domain.Health, strip []domain.Health) []domain.Health {
	if len(to) == 0 {
		return append(to, strip...)
	}
	for i, h := range strip {
		if h != to[i] {
			to[i] = domain.Worse(to[i], h)
		}
	}
	return to
}

// Run is a span of equal slots.
type Run struct {
	Health     domain.Health
	Start, Len int
}

// Runs joins equal neighbours, for drawing and for reading aloud.
func Runs(strip []domain.Health) []Run {
	var runs []Run
	for i, h := range strip {
		if n := len(runs); n > 0 && runs[n-1].Health == h {
			runs[n-1].Len++
			continue
		}
		runs = append(runs, Run{Health: h, Start: i, Len: 1})
	}
	return runs
}
