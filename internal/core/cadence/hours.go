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
	off   []daysOff
	zone  *time.Location
}

// span is a part of some days; one that ends before it begins, or with it, ends on the day after.
type span struct {
	days     [7]bool // from Sunday
	from, to int     // minutes from midnight
}

const (
	day    = 24 * 60 // minutes
	always = "always"
	// MostHours is how long they may be, in bytes, mostParts how many times and days off.
	MostHours = 2000
	mostParts = 50
)

var weekdays = []string{"sun", "mon", "tue", "wed", "thu", "fri", "sat"}

var errHours = errors.New("hours such as Mon-Fri 07:00-19:00, Sat 08:00-12:00, not 12-24..12-26 and a zone such as UTC, or always")

// ReadHours reads hours as people type them: days with times and days off, with commas between, and
// a zone. Empty and always are the whole week.
func ReadHours(typed string) (h Hours, err error) {
	typed = strings.TrimSpace(typed)
	if typed == "" || strings.EqualFold(typed, always) {
		return h, nil
	}
	if len(typed) > MostHours || strings.Count(typed, ",") >= mostParts {
		return h, fmt.Errorf("at most %d times and days off", mostParts)
	}
	h.zone = time.UTC
	if i := strings.LastIndexByte(typed, ' '); i > 0 && !strings.Contains(typed[i:], ":") && !isDate(typed[i+1:]) {
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
		words := strings.Fields(part)
		if len(words) == 2 && strings.EqualFold(words[0], "not") {
			off, err := readDaysOff(words[1])
			if err != nil {
				return Hours{}, err
			}
			h.off = append(h.off, off)
			continue
		}
		s, err := readSpan(words)
		if err != nil {
			return Hours{}, err
		}
		h.spans = append(h.spans, s)
	}
	if len(h.spans) == 0 { // only days off: all others are whole
		h.spans = []span{{days: everyDay, to: day}}
	}
	return h, nil
}

var everyDay = [7]bool{true, true, true, true, true, true, true}

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
		return everyDay, nil
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

// Open tells whether a time lies within them. What began on the day before a day off goes on to
// its end.
func (h Hours) Open(at time.Time) bool {
	if h.Always() {
		return true
	}
	local := at.In(h.zone)
	minute, today := local.Hour()*60+local.Minute(), int(local.Weekday())
	return slices.ContainsFunc(h.spans, func(s span) bool { return s.open(today, minute) && !h.isOff(s.began(local, minute)) })
}

// began is a time of the day on which a span began that is open.
func (s span) began(local time.Time, minute int) time.Time {
	if s.to <= s.from && minute < s.from {
		return local.AddDate(0, 0, -1)
	}
	return local
}

func (s span) open(today, minute int) bool {
	if s.to > s.from {
		return s.days[today] && minute >= s.from && minute < s.to
	}
	return s.days[today] && minute >= s.from || s.days[(today+6)%7] && minute < s.to
}

// farthest is how many days Turns looks ahead: a year with its days off.
const farthest = 400

// Turns is when they begin or end next after a time; ok is false where they do not within a year.
func (h Hours) Turns(at time.Time) (next time.Time, ok bool) {
	if h.Always() {
		return time.Time{}, false
	}
	open, local := h.Open(at), at.In(h.zone)
	for ahead := range farthest {
		midnight := time.Date(local.Year(), local.Month(), local.Day()+ahead, 0, 0, 0, 0, h.zone)
		for _, next := range h.edges(midnight) {
			if next.After(at) && h.Open(next) != open {
				return next.UTC(), true
			}
		}
	}
	return time.Time{}, false
}

// edges are the times of a day at which they may begin or end: every minute of one on which the
// clock is set.
func (h Hours) edges(midnight time.Time) (out []time.Time) {
	end := midnight.AddDate(0, 0, 1)
	if end.Sub(midnight) != 24*time.Hour {
		for at := midnight; at.Before(end); at = at.Add(time.Minute) {
			out = append(out, at)
		}
		return out
	}
	out = append(out, midnight)
	for _, s := range h.spans {
		for _, minute := range []int{s.from, s.to} {
			out = append(out, midnight.Add(time.Duration(minute)*time.Minute))
		}
	}
	slices.SortFunc(out, time.Time.Compare)
	return slices.CompactFunc(out, time.Time.Equal)
}

// Share is how much of a week without days off they are, from 0 to 1.
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
