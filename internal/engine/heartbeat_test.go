package engine

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
)

var noon = time.Date(2026, 11, 27, 12, 0, 0, 0, time.UTC)

// taken gives what is judged and what is stored of looks a minute apart, as minutes.
func taken(bs *boundSeries, values ...float64) (judged, stored []int) {
	sb := &sourceBinding{own: []*boundSeries{bs}}
	for i, v := range values {
		row := derive.Row{Values: []derive.Value{{Kind: derive.Gauge, Num: v}}}
		out := sb.take(derive.Fetched{At: noon.Add(time.Duration(i) * time.Minute), Rows: []derive.Row{row}}, nil)
		for _, x := range out.samples {
			judged = append(judged, int(x.At.Sub(noon)/time.Minute))
		}
		for _, x := range out.stored {
			stored = append(stored, int(x.At.Sub(noon)/time.Minute))
		}
	}
	return judged, stored
}

func beating(beat time.Duration) *boundSeries {
	return &boundSeries{id: 1, reading: kit.Reading{Key: "r", Heartbeat: beat},
		formula: &derive.Formula{Columns: []int{0}, Since: -1, Every: time.Minute}}
}

// With a heartbeat of 5 minutes the same value is stored at 0, 5, 10; the change at 8 with what
// was so at 7, and from there at 13.
func TestWhatDoesNotChangeIsStoredOnceInAHeartbeat(t *testing.T) {
	same := make([]float64, 12)
	judged, stored := taken(beating(5*time.Minute), same...)
	assert.Len(t, judged, 12, "rules see each value")
	assert.Equal(t, []int{0, 5, 10}, stored)
	_, stored = taken(beating(5*time.Minute), 0, 0, 0, 0, 0, 0, 0, 0, 1, 1, 1, 1, 1, 1)
	assert.Equal(t, []int{0, 5, 7, 8, 13}, stored, "no line is drawn from 5 to 8")
	_, stored = taken(beating(5*time.Minute), 0, 1, 0, 1)
	assert.Equal(t, []int{0, 1, 2, 3}, stored, "what changes is stored as it comes")
	_, stored = taken(beating(0), same...)
	assert.Len(t, stored, 12, "nor is anything left out without a heartbeat")
}

// A clock that was set back leaves nothing out: the times of what is there may lie ahead.
func TestAClockThatWasSetBackStoresAnew(t *testing.T) {
	bs := beating(time.Hour)
	taken(bs, 4)
	bs.kept.At, bs.newest.At = noon.Add(time.Hour), noon.Add(time.Hour)
	_, stored := taken(bs, 4, 4)
	assert.Equal(t, []int{0}, stored)
}

var docks = way.List{{Name: "snmp", Ask: []field.Field{{Name: "form", Kind: field.Text}}, CheckColumn: func(string) error { return nil }}}

const formulas = `
kit: dock
title: Dock
version: 1
sources:
  - {key: s, way: snmp, every: 60s, ask: {form: walk}, columns: [{as: name, of: 1.3.1}, {as: used, of: 1.3.2}, {as: free, of: 1.3.3}]}
parts: [{kind: crane, title: Cranes, source: s, key: [name], name: [name]}]
readings:
  - {key: all, source: s, value: [free], over: sum}
  - {key: free, of: crane, source: s, value: [free]}
  - {key: share, of: crane, source: s, value: [used], steps: [{compute: 'value / (value + reading["free"]) * 100'}]}
  - {key: part, of: crane, source: s, value: [free], steps: [{compute: 'value / reading["all"]'}]}
  - {key: other, of: crane, source: s, value: [free], steps: [{compute: 'value + reading["pier/tide"]'}]}
`

// Of crane a 30 of 30 + 10 are in use: 75 %; its 10 are a quarter of the 40 that are free in all.
func TestFormulasKnowTheOtherReadings(t *testing.T) {
	k, err := kit.Parse([]byte(formulas), docks, nil)
	require.NoError(t, err)
	b := &binding{sources: map[string]*sourceBinding{}, series: map[seriesKey]domain.Series{}, parts: []domain.Part{
		{ID: 1, Kit: "dock", Kind: "crane", Name: "a", Index: "1"}, {ID: 2, Kit: "dock", Kind: "crane", Name: "b", Index: "2"}}}
	for i, r := range k.Readings {
		for part := range 3 {
			if (r.Of == "") == (part == 0) {
				b.series[seriesKey{kit.Ref{Kit: "dock", Reading: r.Key}, domain.ID(part)}] = domain.Series{ID: domain.ID(10*i + part)}
			}
		}
	}
	b.bindSource(k, k.Sources[0])
	tide := &boundSeries{reading: kit.Reading{Key: "tide"}, formula: &derive.Formula{Every: time.Minute},
		newest: domain.Sample{At: noon.Add(-time.Minute), Value: 3}}
	b.sources["pier/s"] = &sourceBinding{kit: &kit.Kit{Name: "pier"}, own: []*boundSeries{tide}, all: b.sources}

	look := func(at time.Time) (map[domain.ID]float64, outcome) {
		gauge := func(n float64) derive.Value { return derive.Value{Kind: derive.Gauge, Num: n} }
		rows := []derive.Row{
			{Index: "1", Values: []derive.Value{{Kind: derive.Text, Text: "a"}, gauge(30), gauge(10)}},
			{Index: "2", Values: []derive.Value{{Kind: derive.Text, Text: "b"}, gauge(0), gauge(30)}},
		}
		out := b.sources["dock/s"].take(derive.Fetched{At: at, Rows: rows}, [][]collect.Row{{{Row: rows[0]}, {Row: rows[1]}}})
		values := map[domain.ID]float64{}
		for _, x := range out.samples {
			values[x.SeriesID] = x.Value
		}
		return values, out
	}
	got, _ := look(noon)
	assert.Equal(t, map[domain.ID]float64{0: 40, 11: 10, 12: 30, 21: 75, 22: 0, 31: 0.25, 32: 0.75, 41: 13, 42: 33}, got)

	got, out := look(noon.Add(10 * time.Minute)) // 4 × 60 s + 30 s is how old a value may be
	assert.NotContains(t, got, domain.ID(41))
	assert.Contains(t, out.states[0].Error, "“pier/tide” has no value now")
	assert.Equal(t, 75.0, got[21], "the others go on")
}
