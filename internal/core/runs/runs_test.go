package runs

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"tirelessowl/internal/core/cadence"
	"tirelessowl/internal/domain"
)

var noon = time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)

func at(minutes int) time.Time { return noon.Add(time.Duration(minutes) * time.Minute) }

func run(from, until int, v float64) domain.Run {
	return domain.Run{From: at(from), Until: at(until), Count: until - from + 1, Value: v}
}

// Asked once a minute: up until 12:20, down until 12:29, silent, up from 12:50 on.
func TestSharesOfATime(t *testing.T) {
	all := []domain.Run{run(-60, 19, 1), run(20, 29, 2), run(50, 59, 1)}
	v := Between(all, at(0), at(60), cadence.Gap(time.Minute))
	assert.Equal(t, []Span{
		{at(0), at(20), all[0], true}, // goes on until the next begins, a minute later
		{at(20), at(29), all[1], false},
		{at(50), at(60), all[2], false}, // its next sample is not due yet
	}, v.Spans)
	assert.Equal(t, 39*time.Minute, v.Known, "20 + 9 + 10")
	assert.Equal(t, 21*time.Minute, v.Unknown)
	assert.Equal(t, []Share{
		{Value: 1, Time: 30 * time.Minute, Part: 30.0 / 39, Times: 2},
		{Value: 2, Time: 9 * time.Minute, Part: 9.0 / 39, Times: 1},
	}, v.Shares)
}

// Brought in with a sample each five minutes, of something that is asked each minute.
func TestCoarsePasts(t *testing.T) {
	v := Between(
		[]domain.Run{
			{From: at(0), Until: at(20), Count: 5, Value: 1},
			{From: at(25), Until: at(40), Count: 4, Value: 2},
			{From: at(41), Until: at(60), Count: 20, Value: 1},
		},
		at(0),
		at(60),
		cadence.Gap(time.Minute),
	)
	assert.Equal(t, time.Hour, v.Known)
	assert.Zero(t, v.Unknown)
}

func TestNothingIsKnown(t *testing.T) {
	v := Between(nil, at(0), at(60), time.Minute)
	assert.Empty(t, v.Spans)
	assert.Equal(t, time.Hour, v.Unknown)
	v = Between([]domain.Run{run(5, 5, 1)}, at(0), at(60), time.Minute)
	assert.Equal(t, time.Duration(0), v.Known, "a single sample tells nothing of the time around it")
	assert.Len(t, v.Spans, 1)
	assert.Equal(t, 0.0, v.Shares[0].Part)
}

// Three samples in ten minutes are five minutes apart, two in ten are ten apart:
// three times that may be missing, and no second more.
func TestTheLongestPauseThatIsKnown(t *testing.T) {
	three := domain.Run{From: at(0), Until: at(10), Count: 3, Value: 1}
	two := domain.Run{From: at(0), Until: at(10), Count: 2, Value: 1}
	for name, c := range map[string]struct {
		runs  []domain.Run
		known time.Duration
	}{
		"three up to the next": {[]domain.Run{three, run(25, 25, 2)}, 25 * time.Minute},
		"three a second too long": {
			[]domain.Run{three, {From: at(25).Add(time.Second), Until: at(25).Add(time.Second), Count: 1}}, 10 * time.Minute,
		},
		"two up to the next":           {[]domain.Run{two, run(40, 40, 2)}, 40 * time.Minute},
		"two a minute too long":        {[]domain.Run{two, run(41, 41, 2)}, 10 * time.Minute},
		"a single one, then the other": {[]domain.Run{run(0, 0, 1), {From: at(30), Until: at(40), Count: 2, Value: 2}}, time.Hour},
		"one that began before":        {[]domain.Run{{From: at(-10), Until: at(0), Count: 3, Value: 1}}, 0},
	} {
		assert.Equal(t, c.known, Between(c.runs, at(0), at(60), time.Second).Known, name)
	}
	assert.Equal(t, 25*time.Minute, Between([]domain.Run{three}, at(0), at(25), time.Second).Known, "up to now")
	assert.Equal(t, 10*time.Minute, Between([]domain.Run{three}, at(0), at(26), time.Second).Known, "the next is late")
}

func TestLongSilenceAtTheEndIsNotKnown(t *testing.T) {
	v := Between([]domain.Run{run(0, 10, 1)}, at(0), at(60), cadence.Gap(time.Minute))
	assert.Equal(t, at(10), v.Spans[0].To)
	assert.Equal(t, 50*time.Minute, v.Unknown)
}
