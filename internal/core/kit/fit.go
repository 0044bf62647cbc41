package kit

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
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

// rowsPerAnswer is how many rows one GETBULK answer usually holds.
const rowsPerAnswer = 8

// Estimate works out the cost on a device with the given number of parts of
// each kind, where a sample takes so many bytes. Requests count datagrams sent.
//
//	samples a day = series × 86400 / interval
func (k *Kit) Estimate(parts map[string]int, bytesPerSample float64) Cost {
	var cost Cost
	for _, src := range k.Sources {
		series, rows := 0, 1
		for _, r := range k.Readings {
			if r.Source != src.Key {
				continue
			}
			n := 1
			if r.Of != "" {
				n = parts[r.Of]
			}
			series += n
			rows = max(rows, n)
		}
		perDay := float64(24*time.Hour) / float64(src.Every)
		cost.Series += series
		cost.SamplesPerDay += float64(series) * perDay
		cost.RequestsPerMinute += src.requests(rows) * perDay / (24 * 60)
	}
	cost.BytesPerMonth = cost.SamplesPerDay * 30 * bytesPerSample
	return cost
}

func (s Source) requests(rows int) float64 {
	switch {
	case s.Probe != nil:
		return float64(s.Probe.Count)
	case len(s.Walk) > 0:
		return float64(rows/rowsPerAnswer + 1)
	}
	return 1
}

// Fits tells whether a device that shows the given facts can take the kit,
// and why.
func (k *Kit) Fits(facts []string) (bool, why.Trace) {
	t := why.Trace{Question: "Does “" + k.Title + "” fit?", Answer: "yes"}
	fits := true
	for _, need := range k.Needs {
		if contains(facts, need) {
			t.Because("The device shows "+words(need), "", nil)
			continue
		}
		fits = false
		t.Answer = "no"
		t.Because("The device does not show "+words(need), "", nil)
	}
	return fits, t
}

// Check validates the values of a kit's parameters, by name. Unknown ones
// are refused; missing ones take their default.
func (k *Kit) Check(values map[string]string) domain.FieldErrors {
	errs := domain.FieldErrors{}
	for name, value := range values {
		i := slices.IndexFunc(k.Parameters, func(p Parameter) bool { return p.Name == name })
		switch {
		case i < 0:
			errs[name] = "The kit has no such parameter."
		case value == "":
		case len(k.Parameters[i].Choices) > 0 && !contains(k.Parameters[i].Choices, value):
			errs[name] = "Choose one of " + strings.Join(k.Parameters[i].Choices, ", ") + "."
		case name == "port":
			if n, err := strconv.Atoi(value); err != nil || n < 1 || n > 65535 {
				errs[name] = "Must be a number from 1 to 65535, or empty."
			}
		}
	}
	return errs
}

func words(fact string) string {
	known := map[string]string{
		"answers:snmp":   "an answer to SNMP",
		"mib:interfaces": "a table of interfaces (IF-MIB)",
		"mib:host":       "a table of storage (HOST-RESOURCES-MIB)",
	}
	if text, ok := known[fact]; ok {
		return text
	}
	return fmt.Sprintf("“%s”", fact)
}
