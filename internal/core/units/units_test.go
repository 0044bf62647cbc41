package units

import (
	"math"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

// plain replaces the no-break spaces so that the tables below stay readable.
func plain(s string) string { return strings.ReplaceAll(s, narrow, " ") }

func TestFormat(t *testing.T) {
	for _, c := range []struct {
		value float64
		unit  string
		want  string
	}{
		{0, "%", "0 %"},
		{91.4, "%", "91.4 %"},
		{9_600_000, "bit/s", "9.6 Mbit/s"},
		{999, "bit/s", "999 bit/s"},
		{1000, "bit/s", "1 kbit/s"},
		{1024, "B", "1 KiB"},
		{1023, "B", "1023 B"},
		{3.5 * 1024 * 1024 * 1024, "B", "3.5 GiB"}, // 3.5 × 2^30
		{0.012, "s", "12 ms"},
		{0.00045, "s", "450 µs"},
		{8, "s", "8 s"},
		{3_567_600, "s", "41 d 7 h"}, // 41×86400 = 3542400; rest 25200 = 7 h
		{0, "1/s", "0/s"},
		{2500, "1/s", "2.5 k/s"},
		{21.5, "Cel", "21.5 °C"},
		{-5, "Cel", "-5 °C"},
		{7, "", "7"},
		{math.NaN(), "%", "–"},
		{math.Inf(1), "%", "–"},
	} {
		assert.Equal(t, c.want, plain(Format(c.value, c.unit)), "%v %s", c.value, c.unit)
	}
}

func TestSpan(t *testing.T) {
	for want, d := range map[string]time.Duration{
		"0 s": 0, "8 s": 8 * time.Second, "22 min": 22*time.Minute + 10*time.Second,
		"1 h 30 min": 90 * time.Minute, "2 d": 48 * time.Hour,
	} {
		assert.Equal(t, want, plain(Span(d)))
	}
	assert.Equal(t, "5 min", plain(Span(-5*time.Minute)), "a span has no sign")
}
