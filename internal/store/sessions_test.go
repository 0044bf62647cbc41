package store_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/testkit"
)

func TestSessionsLastUntilTheyExpire(t *testing.T) {
	s, ctx := testkit.Store(t), t.Context()
	at := time.Now()
	require.NoError(t, s.Sessions.CommitCtx(ctx, "a", []byte("one"), at.Add(time.Hour)))
	require.NoError(t, s.Sessions.Commit("a", []byte("two"), at.Add(2*time.Hour)))
	require.NoError(t, s.Sessions.Commit("old", []byte("x"), at.Add(-time.Second)))
	data, ok, err := s.Sessions.Find("a")
	require.NoError(t, err)
	assert.True(t, ok)
	assert.Equal(t, "two", string(data))
	for _, none := range []string{"old", "nobody"} {
		_, ok, err = s.Sessions.FindCtx(ctx, none)
		require.NoError(t, err)
		assert.False(t, ok, none)
	}
	require.NoError(t, s.Sessions.Drop(ctx, at.Add(90*time.Minute)))
	_, ok, err = s.Sessions.Find("a")
	require.NoError(t, err)
	assert.True(t, ok)
	require.NoError(t, s.Sessions.Delete("a"))
	_, ok, err = s.Sessions.Find("a")
	require.NoError(t, err)
	assert.False(t, ok)
}
