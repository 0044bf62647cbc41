package kit

import (
	"slices"
	"time"

	"tirelessowl/internal/core/units"
)

// ReadingChange is a reading that one form of a kit has and another has not, or has otherwise.
type ReadingChange struct {
	Key, Name string
	Of        string // the kind of part that has it; empty for the device
	How       string // Added, Gone or Changed
	Says      []string
}

// CompareReadings tells what another form of a kit makes otherwise, as it is collected: that a source is asked
// more or less often changes its readings, too. Either may be nil.
func CompareReadings(before, after *Kit) (out []ReadingChange) {
	if before == after {
		return nil
	}
	if before == nil {
		before = &Kit{}
	}
	if after == nil {
		after = &Kit{}
	}
	for _, d := range differences("reading", readingThings(before), readingThings(after)) {
		r, ok := after.Reading(d.Key)
		if !ok {
			r, _ = before.Reading(d.Key)
		}
		out = append(out, ReadingChange{d.Key, d.Name, r.Of, d.How, d.Says})
	}
	for _, r := range after.Readings {
		was, had := before.every(r.Key)
		now, _ := after.every(r.Key)
		if !had || was == now {
			continue
		}
		says := "asked each: " + units.Span(was) + " → " + units.Span(now)
		if i := slices.IndexFunc(out, func(c ReadingChange) bool { return c.Key == r.Key }); i >= 0 {
			out[i].Says = append(out[i].Says, says)
		} else {
			out = append(out, ReadingChange{r.Key, r.Name, r.Of, Changed, []string{says}})
		}
	}
	return out
}

// every is how often what a reading is made of is asked; ok is false where there is no such reading.
func (k *Kit) every(reading string) (every time.Duration, ok bool) {
	r, ok := k.Reading(reading)
	if !ok {
		return 0, false
	}
	src, ok := k.Source(r.Source)
	return src.Every, ok
}
