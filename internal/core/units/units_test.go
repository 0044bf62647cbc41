package units

import (
	"encoding/json"
	"math"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// plain replaces the no-break spaces so that the tables below stay readable.
func plain(s string) string { return strings.ReplaceAll(s, narrow, " ") }

// The cases are also those of the browser's charts (e2e/units.spec.mjs).
func TestFormat(t *testing.T) {
	data, err := os.ReadFile("testdata/values.json")
	require.NoError(t, err)
	var cases []struct {
		Value float64
		Unit  string
		Text  string
	}
	require.NoError(t, json.Unmarshal(data, &cases))
	for _, c := range cases {
		assert.Equal(t, c.Text, plain(Format(c.Value, c.Unit)), "%v %s", c.Value, c.Unit)
	}
	assert.Equal(t, "–", Format(math.NaN(), "%"))
	assert.Equal(t, "–", Format(math.Inf(1), "%"))
}

func TestSpan(t *testing.T) {
	for want, d := range map[string]time.Duration{
		"0 s": 0, "8 s": 8 * time.Second, "22 min": 22*time.Minute + 10*time.Second,
		"1 h 30 min": 90 * time.Minute, "2 d": 48 * time.Hour, "1 d 1 h": 25 * time.Hour, "1 min": time.Minute, "59 s": 59 * time.Second,
		"1 h": time.Hour + 59*time.Second, "23 h 59 min": 24*time.Hour - time.Second, "1 d": 24*time.Hour - time.Millisecond,
	} {
		assert.Equal(t, want, plain(Span(d)))
	}
	assert.Equal(t, "5 min", plain(Span(-5*time.Minute)), "a span has no sign")
}

func TestSymbol(t *testing.T) {
	for unit, shall := range map[string]string{"Cel": "°C", "1/s": "/s", "bit/s": "bit/s", "": ""} {
		assert.Equal(t, shall, Symbol(unit))
	}
}
