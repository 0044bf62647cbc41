package watch

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
)

// A value each minute, four of them, ten minutes of silence, one more.
func TestALineHasItsHolesAndItsExtremes(t *testing.T) {
	var rollups []domain.Rollup
	for _, x := range []struct {
		second, count  int
		low, avg, high float64
	}{{0, 1, 5, 5, 5}, {60, 1, 7, 7, 7}, {120, 2, 1, 2, 3}, {180, 1, 4, 4, 4}, {780, 3, 8, 10, 12}} {
		rollups = append(rollups, domain.Rollup{At: time.Unix(int64(x.second), 0), Count: x.count, Avg: x.avg, Min: x.low, Max: x.high})
	}
	var l Line
	l.fill(rollups, time.Minute)
	require.Equal(t, []int64{0, 60, 120, 180, 480, 780}, l.Times, "the hole stands in the middle: 180 + 600 / 2")
	assert.Nil(t, l.Avg[4])
	assert.Nil(t, l.Min[4])
	assert.Nil(t, l.Max[4])
	assert.Equal(t, 10.0, *l.Avg[5])
	assert.Equal(t, 10.0, *l.Last)
	assert.Equal(t, 1.0, *l.Lowest)
	assert.Equal(t, 12.0, *l.Highest)
	assert.Equal(t, 6.25, *l.Average, "(5 + 7 + 2·2 + 4 + 3·10) ÷ 8")
	var none Line
	none.fill(nil, time.Minute)
	assert.Nil(t, none.Average, "nothing has no mean")
}

func TestTheResolutionIsTold(t *testing.T) {
	for want, c := range map[string]struct {
		width, interval time.Duration
		pause           int64 // seconds
	}{
		"every value, each 1\u00a0min":           {time.Second, time.Minute, 60},
		"every value, each 2\u00a0min":           {0, 2 * time.Minute, 180}, // half as much again is still usual
		"every value, about 3\u00a0min apart":    {time.Second, 2 * time.Minute, 181},
		"trend + true extremes, each 5\u00a0min": {5 * time.Minute, time.Minute, 60},
		"trend + true extremes, each 2\u00a0s":   {2 * time.Second, time.Second, 1},
	} {
		assert.Equal(t, want, how(c.width, c.interval, c.pause))
	}
}
