package cadence

import (
	"fmt"
	"strings"
	"time"
)

// daysOff are days that hours leave out: of one year, or, where that is 0, of every year.
type daysOff struct{ from, to date }

type date struct {
	year  int
	month time.Month
	day   int
}

// isOff tells whether a day is one of those that are left out.
func (h Hours) isOff(at time.Time) bool {
	for _, off := range h.off {
		if off.has(at.Date()) {
			return true
		}
	}
	return false
}

func (o daysOff) has(year int, month time.Month, day int) bool {
	d := date{year, month, day}
	if o.from.year == 0 {
		d.year = 0
		if o.to.before(o.from) { // over the end of the year
			return !d.before(o.from) || !o.to.before(d)
		}
	}
	return !d.before(o.from) && !o.to.before(d)
}

func (d date) before(other date) bool {
	a, b := [3]int{d.year, int(d.month), d.day}, [3]int{other.year, int(other.month), other.day}
	for i := range a {
		if a[i] != b[i] {
			return a[i] < b[i]
		}
	}
	return false
}

// readDaysOff reads a day or two with .. between: 12-24 of every year, or 2026-12-24 of one.
func readDaysOff(typed string) (o daysOff, err error) {
	first, last, several := strings.Cut(typed, "..")
	if o.from, err = readDate(first); err != nil {
		return o, err
	}
	o.to = o.from
	if several {
		if o.to, err = readDate(last); err != nil {
			return o, err
		}
	}
	switch {
	case (o.from.year == 0) != (o.to.year == 0):
		return o, fmt.Errorf("“%.40s”: give the year of both days, or of none", typed)
	case o.from.year != 0 && o.to.before(o.from):
		return o, fmt.Errorf("“%.40s” ends before it begins", typed)
	}
	return o, nil
}

// A day of every year may be the 29th of February.
const leapYear = "2000-"

func readDate(typed string) (date, error) {
	if at, err := time.Parse(time.DateOnly, typed); err == nil {
		return date{at.Year(), at.Month(), at.Day()}, nil
	}
	at, err := time.Parse(time.DateOnly, leapYear+typed)
	if err != nil {
		return date{}, fmt.Errorf("“%.40s” is no day: 12-24 of every year, or 2026-12-24", typed)
	}
	return date{0, at.Month(), at.Day()}, nil
}

// isDate tells whether a word is meant as days, and not as a zone.
func isDate(word string) bool { return word != "" && word[0] >= '0' && word[0] <= '9' }
