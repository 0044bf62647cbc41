package rule

import (
	"fmt"
	"strconv"
	"strings"
	"time"

	"tirelessowl/internal/core/units"
	"tirelessowl/internal/domain"
)

// Bounds of a hold.
const (
	MaxValues = 60
	MaxTime   = 6 * time.Hour
)

// Hold is how long something must be so before it counts: a number of values
// in a row, or a time; exactly one of the two is set. As text it is
// "3 values" or "10m".
type Hold struct {
	Values int           // 1 to MaxValues
	Time   time.Duration // a second to MaxTime
}

// Met tells whether the newest values have all been so for long enough. With
// a time, the first of them must be at least that much older than the newest;
// a missing value changes nothing.
func (h Hold) Met(past []domain.Sample, so func(float64) bool) bool {
	if h.Time == 0 {
		need := max(h.Values, 1)
		if len(past) < need {
			return false
		}
		for _, s := range past[len(past)-need:] {
			if !so(s.Value) {
				return false
			}
		}
		return true
	}
	for i := len(past) - 1; i >= 0 && so(past[i].Value); i-- {
		if past[len(past)-1].At.Sub(past[i].At) >= h.Time {
			return true
		}
	}
	return false
}

// Window is how much past Met needs.
func (h Hold) Window() Window {
	if h.Time > 0 {
		return Window{Count: 1, Span: h.Time}
	}
	return Window{Count: max(h.Values, 1)}
}

// Words says the hold after a condition: " for 3 values in a row", " for
// 10 min", and nothing for a single value.
func (h Hold) Words() string {
	switch {
	case h.Time > 0:
		return " for " + units.Span(h.Time)
	case h.Values > 1:
		return fmt.Sprintf(" for %d values in a row", h.Values)
	}
	return ""
}

// Took says what was waited for: "3 values in a row", "10 min", "1 value".
func (h Hold) Took() string {
	switch {
	case h.Time > 0:
		return units.Span(h.Time)
	case h.Values > 1:
		return fmt.Sprintf("%d values in a row", h.Values)
	}
	return "1 value"
}

// String writes the hold as people type it.
func (h Hold) String() string {
	switch {
	case h.Time%time.Hour == 0 && h.Time > 0:
		return fmt.Sprintf("%d h", h.Time/time.Hour)
	case h.Time%time.Minute == 0 && h.Time > 0:
		return fmt.Sprintf("%d min", h.Time/time.Minute)
	case h.Time > 0:
		return fmt.Sprintf("%g s", h.Time.Seconds())
	case h.Values == 1:
		return "1 value"
	}
	return fmt.Sprintf("%d values", h.Values)
}

// MarshalText implements encoding.TextMarshaler.
func (h Hold) MarshalText() ([]byte, error) { return []byte(h.String()), nil }

// UnmarshalText implements encoding.TextUnmarshaler.
func (h *Hold) UnmarshalText(text []byte) (err error) {
	*h, err = ParseHold(string(text))
	return err
}

// ParseHold reads "3 values", "3" (values), "10 min", "90 s" or "2 h".
func ParseHold(text string) (Hold, error) {
	text = strings.TrimSpace(text)
	digits := strings.TrimLeft(text, "0123456789")
	n, err := strconv.Atoi(strings.TrimSuffix(text, digits))
	per, ok := holdUnits[strings.TrimSpace(digits)]
	h := Hold{Values: n}
	if per > 0 {
		h = Hold{Time: time.Duration(n) * per}
	}
	if err != nil || !ok || n > 1_000_000 || h.problem() != "" {
		return Hold{}, fmt.Errorf("%q must be %s", text, holdForm)
	}
	return h, nil
}

// holdUnits are the words after the number; 0 stands for values.
var holdUnits = map[string]time.Duration{
	"": 0, "value": 0, "values": 0,
	"s": time.Second, "m": time.Minute, "min": time.Minute, "h": time.Hour,
}

const holdForm = "a number of values such as “3 values” (up to 60), or a time such as “10 min” (up to 6 h)"

func (h Hold) problem() string {
	switch {
	case h.Values != 0 && h.Time != 0,
		h.Time == 0 && (h.Values < 1 || h.Values > MaxValues),
		h.Time != 0 && (h.Time < time.Second || h.Time > MaxTime):
		return "Must be " + holdForm + "."
	}
	return ""
}

// Validate notes at a field what is wrong with the hold.
func (h Hold) Validate(errs domain.FieldErrors, field string) {
	if problem := h.problem(); problem != "" {
		errs[field] = problem
	}
}

// ReadHold reads a hold as typed into a field, one value where it is empty,
// and notes there what is wrong.
func ReadHold(errs domain.FieldErrors, field, text string) Hold {
	if strings.TrimSpace(text) == "" {
		return Hold{Values: 1}
	}
	h, err := ParseHold(text)
	if err != nil {
		errs[field] = "Must be " + holdForm + "."
	}
	return h
}

// Window is how much of the past is needed: so many of the newest values, and
// all since so long before the newest with the one before them.
type Window struct {
	Count int
	Span  time.Duration
}

// Join returns a window that is enough for both.
func (w Window) Join(o Window) Window { return Window{max(w.Count, o.Count), max(w.Span, o.Span)} }

// Needs returns from which place on the past (ordered by time) is needed.
func (w Window) Needs(past []domain.Sample) int {
	first := max(0, len(past)-w.Count)
	if w.Span == 0 || len(past) == 0 {
		return first
	}
	since := past[len(past)-1].At.Add(-w.Span)
	for first > 0 && past[first].At.After(since) {
		first--
	}
	return first
}
