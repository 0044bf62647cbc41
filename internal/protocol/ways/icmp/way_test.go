package icmp

import (
	"errors"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/way"
	client "tirelessowl/internal/protocol/icmp"
	"tirelessowl/internal/protocol/ways"
)

// Round trips of 10, 30, lost, 20, 26 ms: the mean is 86 ms / 4 = 21.5 ms, one of five is lost (20 %), and of those
// that follow each other 10 and 30 differ by 20 ms, 20 and 26 by 6 ms: 26 ms / 2 = 13 ms.
func TestARoundIsMeasured(t *testing.T) {
	lost := errors.New("lost")
	ms := time.Millisecond
	r := measure([]time.Duration{10 * ms, 30 * ms, 0, 20 * ms, 26 * ms}, []error{nil, nil, lost, nil, nil})
	values := r.row().Values
	for i, shall := range []float64{0.0215, 20, 0.010, 0.030, 0.013} {
		assert.InDelta(t, shall, values[i].Num, 1e-12, columns[i].As)
		assert.Equal(t, derive.Gauge, values[i].Kind)
	}
	values = measure([]time.Duration{8 * ms, 0, 9 * ms}, []error{nil, lost, nil}).row().Values
	assert.Equal(t, derive.Missing, values[4].Kind, "none follow each other: nothing is known of how much they vary")
	values = measure([]time.Duration{0, 0}, []error{lost, lost}).row().Values
	assert.Equal(t, 100.0, values[1].Num)
	for _, i := range []int{0, 2, 3, 4} {
		assert.Equal(t, derive.Missing, values[i].Kind, "nothing was measured")
	}
}

func TestWhoMayNotAskSaysSo(t *testing.T) {
	for _, c := range []*client.Client{nil, {}} {
		got := ways.List{Way(c)}.Ask(t.Context(), way.Question{Way: "icmp"})
		assert.Equal(t, derive.Unable, got.Failure)
		assert.Contains(t, got.Error, "net.ipv4.ping_group_range")
		assert.Empty(t, got.Rows, "nothing is known of the device: not even that all was lost")
		assert.False(t, got.NoAnswer)
		assert.NotEmpty(t, derive.Unable.Advice())
	}
}
