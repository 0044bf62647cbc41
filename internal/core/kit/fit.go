package kit

import (
	"slices"
	"time"

	"tirelessowl/internal/core/why"
)

// BytesPerSample is what a stored sample takes with its rollups and indexes,
// in bytes, where none are stored yet to be measured.
const BytesPerSample = 4.0

// Cost is what a fitted kit takes.
type Cost struct {
	Series            int     `json:"series"`
	RequestsPerMinute float64 `json:"requests_per_minute"`
	SamplesPerDay     float64 `json:"samples_per_day"`
	BytesPerMonth     float64 `json:"bytes_per_month"` // 30 days
}

// Add sums two costs.
func (c Cost) Add(o Cost) Cost {
	return Cost{c.Series + o.Series, c.RequestsPerMinute + o.RequestsPerMinute,
		c.SamplesPerDay + o.SamplesPerDay, c.BytesPerMonth + o.BytesPerMonth}
}

// Times is the cost on several such devices.
func (c Cost) Times(devices int) Cost {
	n := float64(devices)
	return Cost{c.Series * devices, c.RequestsPerMinute * n, c.SamplesPerDay * n, c.BytesPerMonth * n}
}

// Estimate works out the cost on a device with so many parts of each kind,
// where a sample takes so many bytes. Requests count datagrams or connections.
//
//	samples a day = series × 86400 / interval
func (k *Kit) Estimate(count func(Parts) int, bytesPerSample float64) Cost {
	var cost Cost
	for _, src := range k.SourcesFor(nil) {
		series, rows := 0, 1
		for _, r := range k.Readings {
			if r.Source != src.Key {
				continue
			}
			n := 1
			if parts, ok := k.PartsOf(r.Of); ok {
				n = count(parts)
			}
			series += n
			rows = max(rows, n)
		}
		perDay := float64(24*time.Hour) / float64(src.Every)
		cost.Series += series
		cost.SamplesPerDay += float64(series) * perDay
		if w, ok := k.ways.Of(src.Way); ok {
			cost.RequestsPerMinute += w.Requests(k.filled(w, src, k.shown(nil)), rows) * perDay / (24 * 60)
		}
	}
	cost.BytesPerMonth = cost.SamplesPerDay * 30 * bytesPerSample
	return cost
}

// Stretched is the kit with its intervals stretched.
func (k *Kit) Stretched(stretch float64) *Kit { return k.Shaped(Shape{Stretch: stretch}) }

// ByPurpose counts parts by their purpose, as a sweep does.
func ByPurpose(counts map[string]int) func(Parts) int {
	return func(p Parts) int { return counts[string(p.Purpose)] }
}

// Fits tells whether a device that shows the given facts can take the kit,
// and why.
func (k *Kit) Fits(facts []string) (bool, why.Trace) {
	t := why.Trace{Question: "Does “" + k.Title + "” fit?", Answer: "yes"}
	fits := true
	for _, need := range k.Needs {
		if slices.Contains(facts, need) {
			t.Because("The device shows "+k.ways.Fact(need), "", nil)
			continue
		}
		fits = false
		t.Answer = "no"
		t.Because("The device does not show "+k.ways.Fact(need), "", nil)
	}
	return fits, t
}
