package collect

import (
	"net/http"
	"slices"
	"time"

	"tirelessowl/internal/core/cadence"
	"tirelessowl/internal/core/units"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/watch"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/ui"
)

// The wall shows so many small charts at once, each over so long.
const (
	wallSize = 48
	wallSpan = 3 * time.Hour
)

// hang puts small charts beside the values.
func (s Screen) hang(r *http.Request, v *valuesView) error {
	now := time.Now().UTC()
	ids := make([]domain.ID, len(v.Rows))
	for i, x := range v.Rows {
		ids[i] = x.SeriesID
	}
	glances, err := s.Watch.Glances(r.Context(), middleware.Who(r.Context()), ids, now.Add(-wallSpan), now)
	if err != nil {
		return err
	}
	for i := range v.Rows {
		v.Rows[i].look(glances[v.Rows[i].SeriesID], now)
	}
	return nil
}

// look draws what the series did.
func (v *rowView) look(g watch.Glance, now time.Time) {
	if !g.Since.IsZero() {
		v.Stood = units.Span(now.Sub(g.Since))
	}
	if len(g.Rollups) == 0 {
		return
	}
	said := v.Device + " " + v.Part + " " + v.Name + ", the last " + units.Span(wallSpan)
	gap := max(cadence.Gap(time.Duration(v.EveryS)*time.Second), 2*wallSpan/wallSize)
	if v.Kind.Stands() {
		v.Drawn = ui.Bands(bandsOf(g.Rollups, v.codes, now, gap), said)
		return
	}
	v.Drawn = ui.Spark{Rollups: g.Rollups, From: now.Add(-wallSpan), To: now, Gap: gap, Label: said}.HTML()
}

// bandsOf are the values that stood, the most usual one quiet; over a pause longer than gap nothing is known.
func bandsOf(rollups []domain.Rollup, codes map[int]string, now time.Time, gap time.Duration) (out []ui.Band) {
	begin := now.Add(-wallSpan)
	share := func(t time.Time) float64 { return max(0, float64(t.Sub(begin))/float64(wallSpan)) }
	shades := shadesOf(rollups)
	for i, r := range rollups {
		until := now
		if i+1 < len(rollups) {
			until = rollups[i+1].At
		}
		if until.Sub(r.At) > gap {
			until = r.At
		}
		from := share(r.At)
		if n := len(out); n > 0 && out[n-1].Shade == shades[r.Max] && out[n-1].To >= from {
			out[n-1].To = share(until)
			continue
		}
		out = append(out, ui.Band{From: from, To: share(until), Shade: shades[r.Max], Title: codes[int(r.Max)]})
	}
	return out
}

// shadesOf gives values shades: 0 for the most usual one.
func shadesOf(rollups []domain.Rollup) map[float64]int {
	count := map[float64]int{}
	var values []float64
	for _, r := range rollups {
		if count[r.Max] == 0 {
			values = append(values, r.Max)
		}
		count[r.Max] += r.Count
	}
	slices.SortStableFunc(values, func(a, b float64) int { return count[b] - count[a] })
	out := map[float64]int{}
	for i, v := range values {
		out[v] = i
	}
	return out
}
