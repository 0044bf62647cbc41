package plausible

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestWhatCanBe(t *testing.T) {
	for _, c := range []struct {
		unit  string
		value float64
		can   bool
	}{
		{"%", 0, true}, {"%", 100, true}, {"%", 101, true}, {"%", 101.01, false}, {"%", -1, true}, {"%", -1.01, false},
		{"%", -100, false}, {"%", 1e9, false},
		{"bit/s", 0, true}, {"bit/s", 1e15, true}, {"bit/s", 2.4e18, false}, {"bit/s", -1, false},
		{"Cel", -273.15, true}, {"Cel", -274, false}, {"Cel", 2001, false},
		{"s", 3.2e9, true}, {"s", -0.001, false}, {"B", 1e18, true}, {"B", 1.1e18, false}, {"1/s", 1e12, true}, {"1/s", -1, false},
		{"", -1e300, true}, {"furlong", math.MaxFloat64, true},
	} {
		problem := Of(c.unit).Problem(c.value, c.unit)
		assert.Equal(t, c.can, problem == "", "%g %s: %s", c.value, c.unit, problem)
	}
	assert.NotEmpty(t, Of("").Problem(math.NaN(), ""), "what is no number cannot be")
	assert.NotEmpty(t, Of("").Problem(math.Inf(1), ""))
	assert.Equal(t, "250\u00a0% cannot be: a share lies between 0 and 100 %", Of("%").Problem(250, "%"))
}

func TestALineCarriesWhatItCan(t *testing.T) {
	line := func(speed float64) Limits { return Of("bit/s").Line(speed) }
	assert.Equal(t, 2e9, line(1e9).High)
	assert.Empty(t, line(1e9).Problem(2e9, "bit/s"), "late, and then early")
	assert.Contains(t, line(1e9).Problem(2.1e9, "bit/s"), "a line of 1\u00a0Gbit/s")
	assert.Equal(t, 2e8, line(100e6).High)
	assert.Equal(t, 1e15, line(10e6).High, "what exists in software says 10 Mbit/s and carries gigabits")
	assert.Equal(t, 1e15, line(0).High, "not known")
	assert.Equal(t, 1e15, line(1e15).High, "a speed that cannot be is no limit")
}

func TestAKitKnowsBetter(t *testing.T) {
	low, high := 0.0, 800.0
	assert.Equal(t, Limits{Low: -1, High: 800, Why: "the kit says so"}, Of("%").Within(nil, &high), "eight processors")
	assert.Equal(t, Limits{Low: 0, High: 101, Why: "the kit says so"}, Of("%").Within(&low, nil))
	assert.Equal(t, Of("%"), Of("%").Within(nil, nil))
}
