package watch

import (
	"context"
	"errors"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

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
	assert.EqualValues(t, 1, first[0].DeviceID)
	again, err := c.present(t.Context(), read)
	require.NoError(t, err)
	assert.Equal(t, first, again, "it is young")

	c.at = time.Now().Add(-censusAge)
	older, err := c.present(t.Context(), read)
	require.NoError(t, err)
	assert.Equal(t, first, older, "nobody waits")
	assert.Eventually(t, func() bool {
		now, err := c.present(t.Context(), read)
		return err == nil && now[0].DeviceID == 2
	}, 5*time.Second, time.Millisecond)

	c.mu.Lock()
	c.at = time.Now().Add(-censusMost)
	c.mu.Unlock()
	now, err := c.present(t.Context(), read)
	require.NoError(t, err)
	assert.EqualValues(t, 3, now[0].DeviceID, "too old to be told")
	c.mu.Lock()
	c.at = time.Now().Add(-censusMost)
	c.mu.Unlock()
	gone := errors.New("the database is away")
	_, err = c.present(t.Context(), func(context.Context) ([]store.Surveyed, error) { return nil, gone })
	assert.ErrorIs(t, err, gone)
}
