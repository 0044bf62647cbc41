// Package limit is the kind of rule that compares numbers with limits: above
// or below, with an easier limit to recover.
package limit

import (
	"fmt"
	"strings"

	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/units"
	"tirelessowl/internal/domain"
)

// Side tells on which side of a limit trouble lies.
type Side string

// The sides.
const (
	Above Side = "above"
	Below Side = "below"
)

// Limit is where one level begins and where it ends.
type Limit struct {
	// Raise: a value strictly beyond it counts as trouble.
	Raise float64 `json:"at"`
	// Recover is the easier limit for leaving the level: a value must be on
	// its good side or on it. Equal to Raise unless set.
	Recover float64 `json:"recover"`
}

// Condition is in trouble when values are beyond a limit for long enough.
type Condition struct {
	Side Side
	// For is how long values must be beyond a limit, Recover how long good again.
	For, Recover rule.Hold
	// Limits by level; a level without a limit is never reached.
	Limits map[domain.Level]Limit
}

// Kind implements rule.Condition.
func (c *Condition) Kind() string { return name }

// beyond tells whether a value lies strictly on the bad side of a limit.
func (c *Condition) beyond(value, limit float64) bool {
	if c.Side == Below {
		return value < limit
	}
	return value > limit
}

// Has implements rule.Ladder.
func (c *Condition) Has(l domain.Level) bool { _, ok := c.Limits[l]; return ok }

// Bad implements rule.Ladder.
func (c *Condition) Bad(l domain.Level, v float64) bool { return c.beyond(v, c.Limits[l].Raise) }

// Good implements rule.Ladder.
func (c *Condition) Good(l domain.Level, v float64) bool { return !c.beyond(v, c.Limits[l].Recover) }

// Holds implements rule.Ladder.
func (c *Condition) Holds() (raise, recover rule.Hold) { return c.For, c.Recover }

// Window implements rule.Condition.
func (c *Condition) Window() rule.Window { return rule.LadderWindow(c) }

// AtRest implements rule.Condition.
func (c *Condition) AtRest(newest float64) bool { return rule.LadderAtRest(c, newest) }

// Level implements rule.Condition: a higher level needs values beyond its
// limit for long enough; a level is left when values have been on the good
// side of its recovery limit for long enough.
func (c *Condition) Level(before domain.Level, past []domain.Sample) domain.Level {
	return rule.Settle(c, before, past)
}

// Worse implements rule.Condition.
func (c *Condition) Worse(value, than float64) bool { return c.beyond(value, than) }

// Write implements rule.Condition.
func (c *Condition) Write(value float64, unit string) string { return units.Format(value, unit) }

// Judge implements rule.Condition.
func (c *Condition) Judge(before domain.Level, past []domain.Sample, unit string) rule.Finding {
	after := c.Level(before, past)
	f := rule.Finding{Level: after, FirstBadAt: rule.FirstBad(c, past), Limit: c.deciding(before, after)}
	newest, limit := units.Format(past[len(past)-1].Value, unit), units.Format(f.Limit, unit)
	hold := c.For
	f.Says = newest + ", limit " + limit
	switch {
	case after > before:
		f.Answer = fmt.Sprintf("%s %s %s", c.For.Took(), c.Side, limit)
	case after < before && after == domain.LevelNone:
		hold = c.Recover
		f.Answer = fmt.Sprintf("%s good again, to the recovery limit %s", hold.Took(), limit)
		f.Says = "is good again at " + newest + ", recovery limit " + limit
	case after < before:
		hold = c.Recover
		f.Answer = fmt.Sprintf("eased from %s, still not at the recovery limit of %s", before, after)
	case after == domain.LevelNone:
		f.Answer = "no limit is passed often enough"
	default:
		f.Answer = "not yet at the recovery limit " + units.Format(c.Limits[after].Recover, unit)
	}
	window := hold.Window()
	f.Looked = len(past) - window.Needs(past)
	return f
}

// deciding returns the limit that a change of level turned on.
func (c *Condition) deciding(before, after domain.Level) float64 {
	if after > domain.LevelNone {
		return c.Limits[after].Raise
	}
	if limit, ok := c.Limits[before]; ok {
		return limit.Recover
	}
	lowest, _ := rule.Lowest(c)
	return c.Limits[lowest].Raise
}

// Words implements rule.Condition.
func (c *Condition) Words(unit string) string {
	var parts []string
	for l := domain.LevelCritical; l > domain.LevelNone; l-- {
		if limit, ok := c.Limits[l]; ok {
			parts = append(parts, fmt.Sprintf("%s %s %s", l, c.Side, units.Format(limit.Raise, unit)))
		}
	}
	lowest, ok := rule.Lowest(c)
	if !ok {
		return "Watches nothing: no level has a limit."
	}
	side := "at or below"
	if c.Side == Below {
		side = "at or above"
	}
	return text.UpperFirst(strings.Join(parts, ", ")) + c.For.Words() +
		fmt.Sprintf("; fine again %s %s", side, units.Format(c.Limits[lowest].Recover, unit)) + c.Recover.Words() + "."
}

// Lines implements rule.Drawn.
func (c *Condition) Lines(unit string) (out []rule.Line) {
	for l := domain.LevelNotice; l <= domain.LevelCritical; l++ {
		if limit, ok := c.Limits[l]; ok {
			label := l.String() + " " + units.Format(limit.Raise, unit)
			if hold := c.For.Words(); hold != "" {
				label += " for " + c.For.String()
			}
			out = append(out, rule.Line{Level: l, Value: limit.Raise, Label: label})
		}
	}
	return out
}
