package cadence

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"
)

// Hours are when something is collected, by the clock and the days of the week of a zone. The zero
// value is always.
type Hours struct {
	spans []span
	zone  *time.Location
}

// span is a part of some days; one that ends before it begins, or with it, ends on the day after.
type span struct {
	days     [7]bool // from Sunday
	from, to int     // minutes from midnight
}

const (
	day     = 24 * 60 // minutes
	always  = "always"
	mostSet = 500 // bytes
)

var weekdays = []string{"sun", "mon", "tue", "wed", "thu", "fri", "sat"}

var errHours = errors.New("hours such as Mon-Fri 07:00-19:00, Sat 08:00-12:00 and a zone such as UTC, or always")

// ReadHours reads hours as people type them: days with times, with commas between, and a zone.
// Empty and always are the whole week.
func ReadHours(typed string) (h Hours, err error) {
	typed = strings.TrimSpace(typed)
	if typed == "" || strings.EqualFold(typed, always) {
		return h, nil
	}
	if len(typed) > mostSet {
		return h, errHours
	}
	h.zone = time.UTC
	if i := strings.LastIndexByte(typed, ' '); i > 0 && !strings.Contains(typed[i:], ":") {
		name := typed[i+1:]
		if strings.EqualFold(name, "utc") {
			name = "UTC"
		}
		if h.zone, err = time.LoadLocation(name); err != nil || strings.EqualFold(name, "local") {
			return Hours{}, fmt.Errorf("there is no zone “%.40s”; one is UTC, or like Europe/Vienna", name)
		}
		typed = typed[:i]
	}
	for part := range strings.SplitSeq(typed, ",") {
		s, err := readSpan(strings.Fields(part))
		if err != nil {
			return Hours{}, err
		}
		h.spans = append(h.spans, s)
	}
	return h, nil
}

func readSpan(words []string) (s span, err error) {
	if len(words) != 2 {
		return s, errHours
	}
	if s.days, err = readDays(words[0]); err != nil {
		return s, err
	}
	from, to, ok := strings.Cut(words[1], "-")
	if s.from, err = readClock(from); err == nil && ok {
		s.to, err = readClock(to)
	}
	if !ok || err != nil || s.from == day {
		return s, errHours
	}
	return s, nil
}

func readDays(text string) (days [7]bool, err error) {
	if strings.EqualFold(text, "daily") {
		return [7]bool{true, true, true, true, true, true, true}, nil
	}
	first, last, several := strings.Cut(strings.ToLower(text), "-")
	from, to := slices.Index(weekdays, first), slices.Index(weekdays, last)
	if !several {
		to = from
	}
	if from < 0 || to < 0 {
		return days, fmt.Errorf("“%.40s” are no days: Mon, Mon-Fri or daily", text)
	}
	for i := from; ; i = (i + 1) % 7 {
		days[i] = true
		if i == to {
			return days, nil
		}
	}
}

// readClock reads a time of day from 00:00 to 24:00, in minutes.
func readClock(text string) (int, error) {
	if text == "24:00" {
		return day, nil
	}
	at, err := time.Parse("15:04", text)
	return at.Hour()*60 + at.Minute(), err
}

// Always tells whether they have no end.
func (h Hours) Always() bool { return len(h.spans) == 0 }

// Open tells whether a time lies within them.
func (h Hours) Open(at time.Time) bool {
	if h.Always() {
		return true
	}
	local := at.In(h.zone)
	minute, today := local.Hour()*60+local.Minute(), int(local.Weekday())
	return slices.ContainsFunc(h.spans, func(s span) bool { return s.open(today, minute) })
}

func (s span) open(today, minute int) bool {
	if s.to > s.from {
		return s.days[today] && minute >= s.from && minute < s.to
	}
	return s.days[today] && minute >= s.from || s.days[(today+6)%7] && minute < s.to
}

// Turns is when they begin or end next after a time; ok is false where they never do.
func (h Hours) Turns(at time.Time) (next time.Time, ok bool) {
	open := h.Open(at)
	const week = 8 * day
	next = at.Truncate(time.Minute)
	for range week {
		next = next.Add(time.Minute)
		if h.Open(next) != open {
			return next, true
		}
	}
	return time.Time{}, false
}

// Share is how much of a week they are, from 0 to 1.
func (h Hours) Share() float64 {
	open := 0
	for today := range 7 {
		for minute := range day {
			if h.Always() || slices.ContainsFunc(h.spans, func(s span) bool { return s.open(today, minute) }) {
				open++
			}
		}
	}
	return float64(open) / (7 * day)
}
