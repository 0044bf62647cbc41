package own_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/mib"
	"tirelessowl/internal/core/own"
)

func steps(text string) []derive.Written { return own.OfLines(strings.ReplaceAll(text, ", ", "\n")) }

func TestWhatDoesNotFitIsMendedByOneThing(t *testing.T) {
	counter := derive.Value{Kind: derive.Counter32, Count: 7}
	gauge := derive.Value{Kind: derive.Gauge, Num: 7}
	for _, c := range []struct {
		object, steps, unit string
		raw                 derive.Value
		stored              float64
		want                string // what is said, empty for nothing
		mended, mendedUnit  string
	}{
		{"ifInOctets", "rate, scale 8", "bit/s", counter, 8, "", "", ""},
		{"ifInOctets", "rate", "B/s", counter, 8, "", "", ""}, // bytes as they are
		{"ifInOctets", "", "B", counter, 8, "it only grows", "rate", "B/s"},
		{"ifInOctets", "scale 8", "bit", counter, 8, "it only grows", "rate, scale 8", "bit/s"},
		{"ifInErrors", "change", "", counter, 8, "", "", ""}, // all errors of an interval
		{"ifInErrors", "rate", "B", counter, 8, "is not in B", "", "B/s"},
		{"ifInOctets", "rate, scale 4", "bit/s", counter, 8, "after × 8, not × 4", "rate, scale 8", ""},
		{"ifInOctets", "rate, scale 8", "B/s", counter, 8, "after × 1, not × 8", "rate", ""},
		{"ifInOctets", "rate, scale 2, scale 4", "bit/s", counter, 8, "", "", ""},
		{"hrProcessorLoad", "", "%", gauge, 7, "", "", ""},
		{"hrProcessorLoad", "", "%", gauge, 101, "more than 100 %", "", ""},
		{"hrProcessorLoad", "rate", "%/s", gauge, 7, "It is no counter", "", "%"},
		{"hrStorageUsed", "percent_of hrStorageSize", "B", gauge, 7, "is in %", "", "%"},
		{"sysUpTime", "", "s", gauge, 7, "after × 0.01, not × 1", "scale 0.01", ""},
		{"sysDescr", "", "", derive.Value{Kind: derive.Text, Text: "warm"}, 0, "gives a text", "", ""},
		{"sysDescr", "find ([0-9]+)", "", derive.Value{Kind: derive.Text, Text: "warm 7"}, 7, "", "", ""},
	} {
		best := propose(t, c.object, mib.Value{})
		d := best
		d.Treat, d.Unit, d.Steps = own.Number, c.unit, steps(c.steps)
		got := d.Cautions(own.Seen{Raw: []derive.Value{c.raw}, Stored: []float64{c.stored}}, best)
		if c.want == "" {
			assert.Empty(t, got, c)
			continue
		}
		require.NotEmpty(t, got, c)
		assert.Contains(t, got[0].Text, c.want)
		if c.mended != "" {
			assert.Equal(t, c.mended, strings.ReplaceAll(got[0].Mend["steps"], "\n", ", "), c)
		}
		if c.mendedUnit != "" {
			assert.Equal(t, c.mendedUnit, got[0].Mend["unit"], c)
		}
	}
}

// A share of free memory of all: 30 of 120 is 25 %, made of another reading of the same row.
func TestStepsAreInTheKit(t *testing.T) {
	free, all := propose(t, "hrStorageUsed", mib.Value{}), propose(t, "hrStorageSize", mib.Value{})
	all.Heartbeat = time.Hour
	free.Steps, free.Unit = steps(`compute value * hrStorageAllocationUnits / reading["hrstoragesize"] * 100, clamp 0..100`), "%"
	s, errs := own.Set{}.With(all)
	require.Empty(t, errs)
	s, errs = s.With(free)
	require.Empty(t, errs)
	text, err := s.Document(7, 1)
	require.NoError(t, err)
	k, err := kit.Parse(text, ways, nil)
	require.NoError(t, err, string(text))
	assert.Equal(t, time.Hour, k.Readings[0].Heartbeat)
	assert.Equal(t, free.Steps, k.Readings[1].Steps)
	src, _ := k.Source("hrStorageEntry")
	assert.Equal(t, time.Hour, k.Readings[0].StoredEvery(src))
	row := derive.Row{Values: make([]derive.Value, len(src.Columns()))}
	row.Values[src.Column("hrStorageAllocationUnits")] = derive.Value{Kind: derive.Gauge, Num: 1}
	row.Values[src.Column("reading hrstorageused")] = derive.Value{Kind: derive.Gauge, Num: 30}
	got := k.Formula(k.Readings[1], src).Apply(&derive.Look{Row: row, Reading: func(string) (float64, bool) { return 120, true }})
	assert.Equal(t, 25.0, got.Value, got.Problem)

	_, ok := s.Without("hrstoragesize")
	assert.True(t, ok)
	assert.Equal(t, []string{"Storage used"}, s.NeededBy("hrstoragesize"))
	assert.Empty(t, s.NeededBy("hrstorageused"))
}
