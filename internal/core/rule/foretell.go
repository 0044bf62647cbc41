package rule

import (
	"fmt"

	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
)

// Foretold is what a rule would say of values that were seen once, without their past.
type Foretold struct {
	// Level is the highest that any of them is bad enough for, if it lasts.
	Level domain.Level
	Bad   int     // how many of them are bad at the lowest level
	Worst float64 // the value that is farthest in trouble
	Why   why.Trace
}

// Foretell tells what a rule would say of some values, were they to last; ok is false where its condition cannot judge
// single values, or where there are none.
func Foretell(r Rule, values []float64) (f Foretold, ok bool) {
	c, ok := r.Condition.(Ladder)
	if !ok || len(values) == 0 {
		return f, false
	}
	lowest, ok := Lowest(c)
	if !ok {
		return f, false
	}
	f.Worst = values[0]
	for _, v := range values {
		if r.Condition.Worse(v, f.Worst) {
			f.Worst = v
		}
		if !c.Bad(lowest, v) {
			continue
		}
		f.Bad++
		for l := domain.LevelCritical; l > f.Level; l-- {
			if c.Has(l) && c.Bad(l, v) {
				f.Level = l
				break
			}
		}
	}
	raise, _ := c.Holds()
	f.Why = why.Trace{Question: "What would “" + r.Name + "” say?", Answer: "fine: " + r.Write(f.Worst)}
	if f.Bad > 0 {
		f.Why.Answer = f.Level.String() + raise.Words() + ": " + r.Write(f.Worst)
	}
	f.Why.Because(r.Words(), fmt.Sprintf("%d of %d values are bad", f.Bad, len(values)), nil)
	return f, true
}
