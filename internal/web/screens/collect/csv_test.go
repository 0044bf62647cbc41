package collect

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/watch"
	"tirelessowl/internal/testkit"
)

func TestMain(m *testing.M) { testkit.Main(m) }

func TestValuesAreWrittenForSpreadsheets(t *testing.T) {
	s := Screen{Kits: testkit.Kits(t, testkit.Store(t))}
	at := time.Date(2026, 11, 27, 19, 0, 0, 0, time.FixedZone("", 3600))
	number := func(n float64) *float64 { return &n }
	for _, c := range []struct {
		x    watch.ListedValue
		want []string
	}{
		{
			watch.ListedValue{Device: "np-ups-1", Kit: "ups", Reading: "battery_voltage", Name: "Battery voltage", Unit: "V", State: "ok",
				Value: number(504 * 0.1), At: &at},
			[]string{"np-ups-1", "", "ups", "battery_voltage", "Battery voltage", "50.4", "V", "2026-11-27T18:00:00Z", "ok", ""},
		},
		{
			watch.ListedValue{Device: "=cmd|x", Kit: "ups", Reading: "source", Name: "Power comes from", State: "ok",
				Kind: domain.KindState, Value: number(3), At: &at},
			[]string{"'=cmd|x", "", "ups", "source", "Power comes from", "mains", "", "2026-11-27T18:00:00Z", "ok", ""},
		},
		{
			watch.ListedValue{Device: "d", Kit: "system", Reading: "name", State: "ok", Kind: domain.KindText, Text: "+1",
				Value: number(1), At: &at},
			[]string{"d", "", "system", "name", "", "'+1", "", "2026-11-27T18:00:00Z", "ok", ""},
		},
		{
			watch.ListedValue{Device: "d", Kit: "ups", Reading: "charge", State: "failing", Error: "no answer", Value: nil},
			[]string{"d", "", "ups", "charge", "", "", "", "", "failing", "no answer"},
		},
		{
			watch.ListedValue{Device: "d", Kit: "ups", Reading: "temperature", Value: number(-5), At: &at, State: "ok"},
			[]string{"d", "", "ups", "temperature", "", "-5", "", "2026-11-27T18:00:00Z", "ok", ""},
		},
	} {
		assert.Equal(t, c.want, s.record(c.x))
	}
}
