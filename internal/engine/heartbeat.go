package engine

import (
	"strings"
	"time"

	"tirelessowl/internal/core/cadence"
	"tirelessowl/internal/domain"
)

// store stores a value, but for one that is as the one before was: of those one in a heartbeat.
// Before a value that differs goes the last that was left out, so that no line is drawn from a
// time long before to it.
func (bs *boundSeries) store(x domain.SeriesSample, out *outcome) {
	if bs.reading.Heartbeat <= 0 {
		out.stored = append(out.stored, x)
		return
	}
	every := bs.formula.Every
	same := !bs.kept.At.IsZero() && x.Value == bs.kept.Value && x.At.After(bs.kept.At)
	if same && x.At.Add(every).Sub(bs.kept.At) <= bs.reading.Heartbeat {
		return
	}
	if last := bs.newest; !same && last.At.After(bs.kept.At) && last.At.Before(x.At) && !bs.kept.At.IsZero() {
		out.stored = append(out.stored, domain.SeriesSample{SeriesID: bs.id, Sample: last})
	}
	out.stored = append(out.stored, x)
	bs.kept = x.Sample
}

// others gives the newest values of other readings, of the same part or the device, by their keys,
// or of another kit as kit/reading; nil where a series needs none.
func (sb *sourceBinding) others(bs *boundSeries, bp *boundPart, at time.Time) func(string) (float64, bool) {
	if len(bs.formula.Steps.Readings()) == 0 {
		return nil
	}
	return func(key string) (float64, bool) {
		name, reading, other := strings.Cut(key, "/")
		if !other {
			name, reading = sb.kit.Name, key
		}
		if !other && bp != nil {
			if found := named(bp.series, reading); found != nil {
				return found.fresh(at)
			}
		}
		for _, source := range sb.all {
			if source.kit.Name != name {
				continue
			}
			if found := named(source.own, reading); found != nil {
				return found.fresh(at)
			}
		}
		return 0, false
	}
}

func named(series []*boundSeries, reading string) *boundSeries {
	for _, bs := range series {
		if bs.reading.Key == reading {
			return bs
		}
	}
	return nil
}

// fresh is its newest value, where that is not out of date at a time.
func (bs *boundSeries) fresh(at time.Time) (float64, bool) {
	ok := !bs.newest.At.IsZero() && !cadence.Stale(at.Sub(bs.newest.At), bs.formula.Every)
	return bs.newest.Value, ok
}
