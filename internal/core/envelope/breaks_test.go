package envelope

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// at builds times from pauses.
func at(pauses ...int64) []int64 {
	out := []int64{1_000_000}
	for _, p := range pauses {
		out = append(out, out[len(out)-1]+p)
	}
	return out
}

func TestBreaks(t *testing.T) {
	for name, c := range map[string]struct {
		times []int64
		want  []int
	}{
		"nothing":                       {nil, nil},
		"a single value":                {at(), nil},
		"regular":                       {at(60, 60, 60, 60), nil},
		"two values missed":             {at(60, 60, 180, 60), nil},
		"three missed":                  {at(60, 60, 181, 60), []int{3}},
		"two values far apart":          {at(4000), []int{1}},
		"a value alone between breaks":  {at(60, 60, 60, 60, 4000, 5000, 60, 60, 60, 60), []int{5, 6}},
		"a past at wide intervals":      {at(300, 300, 300, 300, 300, 300), nil},
		"a past that ends in a present": {at(300, 300, 300, 300, 300, 60, 60, 60, 60, 60), nil},
		"a break in a wide past":        {at(300, 300, 300, 300, 1000, 300, 300, 300), []int{5}},
		"and after it":                  {at(300, 300, 300, 300, 300, 300, 60, 60, 60, 60, 60, 900, 60, 60), []int{12}},
		"alone at the end":              {at(60, 60, 60, 4000, 5000), []int{4, 5}},
		"alone at the begin":            {at(5000, 4000, 60, 60, 60), []int{1, 2}},
	} {
		t.Run(name, func(t *testing.T) { assert.Equal(t, c.want, Breaks(c.times, 60)) })
	}
}

func TestPause(t *testing.T) {
	assert.Equal(t, int64(0), Pause(at()))
	assert.Equal(t, int64(300), Pause(at(300, 60, 300, 7200, 300)))
}

// A line is broken by a pause beyond three intervals and beyond three usual
// ones: at just three it is not.
func TestBreaksBeginBeyondThreePauses(t *testing.T) {
	at := func(pauses ...int64) (out []int64) {
		out = []int64{0}
		for _, p := range pauses {
			out = append(out, out[len(out)-1]+p)
		}
		return out
	}
	for _, c := range []struct {
		times    []int64
		interval int64
		want     []int
	}{
		{at(60, 60, 60, 180, 60, 60, 60), 60, nil},
		{at(60, 60, 60, 181, 60, 60, 60), 60, []int{4}},
		{at(1, 1, 1, 180, 1, 1, 1), 60, nil}, // more often than it should be
		{at(1, 1, 1, 181, 1, 1, 1), 60, []int{4}},
		{at(10, 10, 10, 30, 10, 10, 10), 1, nil}, // more seldom
		{at(10, 10, 10, 31, 10, 10, 10), 1, []int{4}},
	} {
		assert.Equal(t, c.want, Breaks(c.times, c.interval), c)
	}
}
