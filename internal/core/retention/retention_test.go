package retention

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// 23 November 2026: 56 years of 365 days, 14 leap days (1972 to 2024), and 326
// days of 2026 before it: 56·365 + 14 + 326 = 20780.
const today = 20780

// weeks are points of two weeks, of 100 bytes a day: 20766 to 20772 and 20773
// to 20779; each lies in one table.
func weeks() (out []Held) {
	for day := 20766; day < 20780; day++ {
		until := 20773
		if day >= 20773 {
			until = 20780
		}
		out = append(out, Held{Form: Points, First: day, Last: day, Until: until, Bytes: 100})
	}
	return out
}

var asItIs = []Kept{
	{Form: Points, Days: 365, InFor: FiveMinutes, PerDay: 100},
	{Form: Hours, Days: 1825, PerDay: 20},
	{Form: Days, Days: 7300},
}

func TestWholeTablesGo(t *testing.T) {
	next := []Kept{
		{Form: Points, Days: 3, Own: true, PerDay: 100},
		{Form: FiveMinutes, Days: 365, PerDay: 90},
		{Form: Hours, Days: 1825, PerDay: 20},
		{Form: Days, Days: 7300},
	}
	r := Rehearse(today, asItIs, next, weeks())
	// The later table ends with day 20779, which is not three days old.
	assert.Equal(t, []Loss{{Form: Points, First: 20766, Last: 20772, Bytes: 700, Left: FiveMinutes}}, r.Losses)
	assert.Equal(t, 700.0, r.Lost)
	assert.Equal(t, 365*100.0+1825*20, r.FullNow)
	assert.Equal(t, 3*100.0+365*90+1825*20, r.Full)
	// 300 + 32,850 + 36,500 = 69,650 bytes are 68.0 KiB; 36,500 + 36,500 = 73,000 are 71.3.
	assert.Equal(t, "700\u00a0B goes for good; in the end it takes 68\u00a0KiB instead of 71.3\u00a0KiB.", r.Why.Answer)
	var said []string
	for _, f := range r.Why.Facts {
		said = append(said, f.Text+" | "+f.Detail)
	}
	assert.Equal(t, []string{
		"Single samples of 9 Nov to 15 Nov 2026 go, 700\u00a0B | rollups of 5 min tell of that time afterwards",
		"Single samples: 3 days, in the end 300\u00a0B | set for this reading",
		"Rollups of 5 min: 365 days, in the end 32.1\u00a0KiB | the setting for all readings",
		"Rollups of 1 h: 1825 days, in the end 35.6\u00a0KiB | the setting for all readings",
		"Rollups of 1 day: 7300 days | the setting for all readings",
	}, said)
}

// A table goes on the very day on which its last day is too old.
func TestTheDayOnWhichATableGoes(t *testing.T) {
	h := Held{Until: 20773} // its last day is 20772
	assert.False(t, h.Goes(20775, 3))
	assert.True(t, h.Goes(20776, 3), "20772 is four days old, of which three are kept")
}

func TestNothingChanges(t *testing.T) {
	r := Rehearse(today, asItIs, asItIs, weeks())
	assert.Empty(t, r.Losses)
	assert.Equal(t, "Nothing changes; in the end it takes 71.3\u00a0KiB.", r.Why.Answer)
	require.Len(t, r.Why.Facts, 4)
	assert.Equal(t, "No rollups of 5 min are made", r.Why.Facts[1].Text)
	assert.Equal(t, "single samples stand for them", r.Why.Facts[1].Detail)
	assert.Contains(t, r.Why.Facts[0].Detail, "they stand for rollups of 5 min")
}

func TestWhatIsLeft(t *testing.T) {
	held := []Held{
		{Form: Points, First: 20700, Last: 20706, Until: 20707, Bytes: 5},
		{Form: Hours, First: 20700, Last: 20706, Until: 20720, Bytes: 1},
	}
	short := func(hours, days int) []Kept {
		return []Kept{{Form: Points, Days: 1, InFor: FiveMinutes}, {Form: Hours, Days: hours}, {Form: Days, Days: days}}
	}
	for name, c := range map[string]struct {
		next []Kept
		left []Form
	}{
		"hours stay":   {short(81, 7300), []Form{Hours}}, // 20780 − 81 < 20700
		"days stay":    {short(70, 80), []Form{Days}},    // 20780 − 80 = 20700; hours go at 20720 only
		"nothing does": {short(60, 79), []Form{"", ""}},  // both go
		"runs":         {[]Kept{{Form: Points, Days: 1}, {Form: Runs, Days: 200}}, []Form{Runs}},
	} {
		t.Run(name, func(t *testing.T) {
			var left []Form
			for _, l := range Rehearse(today, asItIs, c.next, held).Losses {
				left = append(left, l.Left)
			}
			assert.Equal(t, c.left, left)
		})
	}
}

// A row of a month holds 28 days, of which some are still to come.
func TestWhatADayBringsOfMonths(t *testing.T) {
	held := []Held{
		{Form: Days, First: 20748, Last: 20775, Until: 21000, Bytes: 280},
		{Form: Days, First: 20776, Last: 20803, Until: 21000, Bytes: 50},
	}
	got := measured(today, []Kept{{Form: Days, Days: 10}}, held)
	assert.Equal(t, 330.0/(28+5), got[0].PerDay) // 20776 to 20780 are five days
	held = []Held{{Form: Days, First: today, Last: today, Bytes: 7}, {Form: Days, First: today + 1, Last: today + 2, Bytes: 1e9}}
	assert.Equal(t, 7.0, measured(today, []Kept{{Form: Days, Days: 10}}, held)[0].PerDay, "today counts, tomorrow does not")
}

func TestNewReading(t *testing.T) {
	r := Rehearse(today, nil, []Kept{{Form: Runs, Days: 5, Own: true}, {Form: Points, Days: 90}}, nil)
	assert.Equal(t, "Nothing goes; what it takes in the end is known when a day is over.", r.Why.Answer)
	assert.Equal(t, Points, r.Next[0].Form, "the finest first")
	assert.Equal(t, "Which value stood when: 5 days", r.Why.Facts[1].Text)
	assert.Equal(t, "as long as rollups of 1 h: set for this reading", r.Why.Facts[1].Detail)
}

func TestOneDayGoes(t *testing.T) {
	r := Rehearse(
		today,
		nil,
		[]Kept{{Form: Points, Days: 1}},
		[]Held{
			{Form: Points, First: 20453, Last: 20453, Until: 20454, Bytes: 2048},
			{Form: Points, First: 20460, Last: 20460, Until: 20461, Bytes: 1024},
		},
	)
	// 20453 is 327 days before: 31 December 2025.
	assert.Equal(t, "Single samples of 31 Dec 2025 to 7 Jan 2026 go, 3\u00a0KiB", r.Why.Facts[0].Text)
	assert.Equal(t, "nothing tells of that time afterwards", r.Why.Facts[0].Detail)
	// 3,072 bytes of two days are 1,536 a day.
	assert.Equal(t, "Single samples: 1 day, in the end 1.5\u00a0KiB", r.Why.Facts[1].Text)
	assert.Equal(t, "31 Dec 2025", between(20453, 20453))
}
