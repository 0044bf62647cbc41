// Package aggregate combines the rollups of many series into one, and ranks
// series, while they are read: no more than one series is held at a time.
package aggregate

import (
	"cmp"
	"slices"

	"tirelessowl/internal/core/codec"
)

// How says in which way series are combined.
type How string

// The ways. Sum and Avg take the mean of each series in a rollup, Min and Max
// its true lowest and highest.
const (
	Sum How = "sum"
	Avg How = "avg"
	Min How = "min"
	Max How = "max"
)

// Valid tells whether it is one of the ways.
func (h How) Valid() bool { return h == Sum || h == Avg || h == Min || h == Max }

// Value is one rollup of the combined series; Series is how many had a value.
type Value struct {
	T      int64 // begin, in milliseconds
	V      float64
	Series int
}

// Across combines series rollup by rollup. A rollup that only some series have is
// combined from those; one that none has is a gap.
type Across struct {
	how     How
	rollups map[int64]*Value
}

// NewAcross begins to combine.
func NewAcross(how How) *Across { return &Across{how, map[int64]*Value{}} }

// Add takes the rollups of one more series; they must have the width of the others.
func (a *Across) Add(rollups []codec.Rollup) {
	for _, s := range rollups {
		v := value(a.how, s)
		x := a.rollups[s.T]
		if x == nil {
			a.rollups[s.T] = &Value{s.T, v, 1}
			continue
		}
		x.Series++
		switch a.how {
		case Min:
			x.V = min(x.V, v)
		case Max:
			x.V = max(x.V, v)
		default:
			x.V += v
		}
	}
}

// Values returns the combined rollups, ordered by time.
func (a *Across) Values() []Value {
	out := make([]Value, 0, len(a.rollups))
	for _, x := range a.rollups {
		v := *x
		if a.how == Avg {
			v.V /= float64(v.Series)
		}
		out = append(out, v)
	}
	slices.SortFunc(out, func(a, b Value) int { return cmp.Compare(a.T, b.T) })
	return out
}

func value(how How, s codec.Rollup) float64 {
	switch how {
	case Min:
		return s.Min
	case Max:
		return s.Max
	}
	return s.Avg()
}

// Ranked is a series with what it is ranked by.
type Ranked struct {
	Series int64
	V      float64
}

// Top keeps the n series with the highest values over the whole time: the mean
// of all points for Sum and Avg, the lowest for Min, the highest for Max.
type Top struct {
	n    int
	how  How
	best []Ranked // highest first
}

// NewTop begins to rank.
func NewTop(n int, how How) *Top { return &Top{n: n, how: how} }

// Add takes the rollups of one more series.
func (t *Top) Add(series int64, rollups []codec.Rollup) {
	var all codec.Rollup
	for _, s := range rollups {
		all.Join(&s)
	}
	if all.Count == 0 {
		return
	}
	r := Ranked{series, value(t.how, all)}
	at, _ := slices.BinarySearchFunc(
		t.best,
		r,
		func(a, b Ranked) int { return cmp.Or(cmp.Compare(b.V, a.V), cmp.Compare(a.Series, b.Series)) },
	)
	if at >= t.n {
		return
	}
	t.best = slices.Insert(t.best, at, r)
	t.best = t.best[:min(len(t.best), t.n)]
}

// Ranks returns the series kept, highest first.
func (t *Top) Ranks() []Ranked { return t.best }
