// Package units writes values with their unit in the prefix that reads best.
// Unit symbols are UCUM-like: %, bit/s, B, s, Cel, 1/s. The browser's charts
// do the same in charts.js; testdata/values.json holds both to it.
package units

import (
	"math"
	"strconv"
	"strings"
	"time"
)

// narrow keeps a value and its unit on one line.
const narrow = "\u00a0"

var (
	decimal = []string{"", "k", "M", "G", "T", "P"}
	binary  = []string{"", "Ki", "Mi", "Gi", "Ti", "Pi"}
)

// Format writes a value with its unit: 9.6 Mbit/s, 3.2 GiB, 12 ms, 41 d 6 h.
// Bits scale by 1000 and bytes by 1024, as the trade does.
func Format(value float64, unit string) string {
	if math.IsNaN(value) || math.IsInf(value, 0) {
		return "–"
	}
	switch unit {
	case "B", "B/s":
		return scaled(value, unit, 1024, binary)
	case "1/s":
		return strings.Replace(scaled(value, "/s", 1000, decimal), narrow+"/s", "/s", 1)
	case "bit/s", "bit":
		return scaled(value, unit, 1000, decimal)
	case "s":
		return seconds(value)
	case "Cel":
		return Number(value) + narrow + "°C"
	case "":
		return Number(value)
	}
	return Number(value) + narrow + unit
}

// Symbol is a unit as people read it by itself: °C for Cel.
func Symbol(unit string) string {
	switch unit {
	case "Cel":
		return "°C"
	case "1/s":
		return "/s"
	}
	return unit
}

// Number writes three significant digits without a trailing zero, and whole
// numbers from 1000 on without an exponent.
func Number(value float64) string {
	switch abs := math.Abs(value); {
	case abs == 0:
		return "0"
	case abs >= 100:
		return rounded(value, 1)
	case abs >= 10:
		return rounded(value, 10)
	case abs >= 0.01:
		return rounded(value, 100)
	}
	return strconv.FormatFloat(value, 'g', 2, 64)
}

// rounded writes a value to 1/tens, halves away from zero.
func rounded(value, tens float64) string {
	return strconv.FormatFloat(math.Round(value*tens)/tens, 'f', -1, 64)
}

func scaled(value float64, unit string, base float64, prefixes []string) string {
	i := 0
	for math.Abs(value) >= base && i < len(prefixes)-1 {
		value /= base
		i++
	}
	return Number(value) + narrow + prefixes[i] + unit
}

func seconds(value float64) string {
	switch abs := math.Abs(value); {
	case abs == 0:
		return "0" + narrow + "s"
	case abs < 0.001:
		return Number(value*1e6) + narrow + "µs"
	case abs < 1:
		return Number(value*1e3) + narrow + "ms"
	case abs < 120:
		return Number(value) + narrow + "s"
	}
	return Span(time.Duration(value * float64(time.Second)))
}

// The units of spans, largest first.
var spans = []struct {
	size time.Duration
	name string
}{{24 * time.Hour, "d"}, {time.Hour, "h"}, {time.Minute, "min"}, {time.Second, "s"}}

// Span writes a duration without its sign in its two largest units, from an
// hour on: 41 d 6 h, 1 h 30 min, 22 min, 8 s.
func Span(d time.Duration) string {
	d = d.Abs().Round(time.Second)
	for i, u := range spans {
		if d < u.size {
			continue
		}
		text := strconv.FormatInt(int64(d/u.size), 10) + narrow + u.name
		if u.size < time.Hour {
			return text
		}
		next := spans[i+1]
		if rest := d % u.size / next.size; rest > 0 {
			text += narrow + strconv.FormatInt(int64(rest), 10) + narrow + next.name
		}
		return text
	}
	return "0" + narrow + "s"
}

// Base returns 1024 for byte units and 1000 for all others: the step between prefixes.
func Base(unit string) int {
	if unit == "B" || unit == "B/s" {
		return 1024
	}
	return 1000
}
