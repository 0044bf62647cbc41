package watch

import (
	"context"
	"errors"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/codec"
	"tirelessowl/internal/store"
)

func TestAnOlderCensusIsGoodWhileANewOneIsMade(t *testing.T) {
	var c census
	var reads atomic.Int64
	read := func(context.Context) ([]store.Surveyed, error) {
		return []store.Surveyed{{DeviceID: reads.Add(1)}}, nil
	}
	first, err := c.present(t.Context(), read)
	require.NoError(t, err)
	assert.EqualValues(t, 1, first.devices[0].DeviceID)
	again, err := c.present(t.Context(), read)
	require.NoError(t, err)
	assert.Equal(t, first, again, "it is young")

	c.at = time.Now().Add(-censusAge)
	older, err := c.present(t.Context(), read)
	require.NoError(t, err)
	assert.Equal(t, first, older, "nobody waits")
	assert.Eventually(t, func() bool {
		now, err := c.present(t.Context(), read)
		return err == nil && now.devices[0].DeviceID == 2
	}, 5*time.Second, time.Millisecond)

	c.mu.Lock()
	c.at = time.Now().Add(-censusMost)
	c.mu.Unlock()
	now, err := c.present(t.Context(), read)
	require.NoError(t, err)
	assert.EqualValues(t, 3, now.devices[0].DeviceID, "too old to be told")
	c.mu.Lock()
	c.at = time.Now().Add(-censusMost)
	c.mu.Unlock()
	gone := errors.New("the database is away")
	_, err = c.present(t.Context(), func(context.Context) ([]store.Surveyed, error) { return nil, gone })
	assert.ErrorIs(t, err, gone)
}

func TestTheNewestValueOfEachDevice(t *testing.T) {
	v := newSurvey([]store.Surveyed{
		{DeviceID: 7, Series: []int64{3, 900}},
		{DeviceID: 8, Series: []int64{1}},
		{DeviceID: 9, Series: []int64{5}},
	})
	newest := v.newestOf(func(_ time.Time, f func(int64, []codec.Point)) {
		f(3, []codec.Point{{T: 10}, {T: 20}})
		f(900, []codec.Point{{T: 15}})
		f(1, []codec.Point{{T: 30}})
		f(2, []codec.Point{{T: 99}}) // of none
		f(1000, []codec.Point{{T: 99}})
	})
	assert.Equal(t, []int64{20, 30, 0}, newest)
}
