package rule

import (
	"time"

	"tirelessowl/internal/domain"
)

// Ladder is a condition whose levels each have a test for being in trouble
// and one for being good again. What is in trouble at a level is so at every
// lower one that is set.
type Ladder interface {
	Has(domain.Level) bool
	Bad(domain.Level, float64) bool
	Good(domain.Level, float64) bool
	// Holds are how long bad values must last to raise, good ones to recover.
	Holds() (raise, recover Hold)
}

// Settle finds the level: the highest that is newly reached, or the highest
// one up to the old level that is not yet recovered from.
func Settle(c Ladder, before domain.Level, past []domain.Sample) domain.Level {
	raise, recover := c.Holds()
	for l := domain.LevelCritical; l > domain.LevelNone; l-- {
		switch {
		case !c.Has(l):
		case l > before && raise.Met(past, func(v float64) bool { return c.Bad(l, v) }):
			return l
		case l <= before && !recover.Met(past, func(v float64) bool { return c.Good(l, v) }):
			return l
		}
	}
	return domain.LevelNone
}

// Lowest returns the lowest level that is set; ok is false when none is.
func Lowest(c Ladder) (level domain.Level, ok bool) {
	for l := domain.LevelNotice; l <= domain.LevelCritical; l++ {
		if c.Has(l) {
			return l, true
		}
	}
	return domain.LevelNone, false
}

// FirstBad walks back from the newest value while values are bad at the lowest level.
func FirstBad(c Ladder, past []domain.Sample) (first time.Time) {
	lowest, ok := Lowest(c)
	for i := len(past) - 1; ok && i >= 0 && c.Bad(lowest, past[i].Value); i-- {
		first = past[i].At
	}
	return first
}

// LadderWindow is how much past Settle needs.
func LadderWindow(c Ladder) Window {
	raise, recover := c.Holds()
	return raise.Window().Join(recover.Window())
}

// LadderAtRest tells whether a value is good at every level: then a rule that
// was at rest stays so.
func LadderAtRest(c Ladder, newest float64) bool {
	lowest, ok := Lowest(c)
	return !ok || !c.Bad(lowest, newest)
}
