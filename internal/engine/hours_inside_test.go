package engine

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/cadence"
	"tirelessowl/internal/domain"
)

// What 2,000 devices are asked anew begins within 20 s, evenly, and what is asked more often within its interval; one
// device is asked at once.
func TestNewTasksOfManyDevicesBeginOneAfterTheOther(t *testing.T) {
	first, perSecond := begins(2000), map[int]int{}
	for id := range domain.ID(2000) {
		wait := first(Task{Device: id, Key: "five/whole", Every: 5 * time.Minute})
		perSecond[int(wait/time.Second)]++
	}
	assert.Len(t, perSecond, 20)
	for second, n := range perSecond {
		assert.InDelta(t, 100, n, 50, "second %d", second)
	}
	assert.Less(t, first(Task{Device: 7, Key: "x", Every: time.Second}), time.Second)
	assert.Zero(t, begins(1)(Task{Device: 7, Key: "x", Every: time.Minute}))
}

// At noon the first device's hours end, the second's go on, the third has none.
func TestDevicesAreTakenUpWhenTheirHoursTurn(t *testing.T) {
	now := noon.Add(-time.Second)
	read := func(text string) cadence.Hours {
		h, err := cadence.ReadHours(text)
		require.NoError(t, err)
		return h
	}
	c := &Collector{bound: map[domain.ID]*binding{
		1: {hours: read("daily 08:00-12:00"), open: true}, 2: {hours: read("daily 08:00-13:00"), open: true}, 3: {open: true},
	}}
	c.clock = NewClock(func() time.Time { return now })
	c.followHours()
	assert.Empty(t, c.waves)
	now = noon.Add(time.Second)
	c.clock = NewClock(func() time.Time { return now })
	c.followHours()
	require.Len(t, c.waves, 1)
	assert.Equal(t, map[domain.ID]time.Time{1: {}}, c.waves[0].left)
}
