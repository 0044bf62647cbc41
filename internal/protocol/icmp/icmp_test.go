package icmp

import (
	"context"
	"net/netip"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestEcho(t *testing.T) {
	c := NewClient()
	defer c.Close()
	if !c.May() {
		_, err := c.Echo(t.Context(), netip.MustParseAddr("127.0.0.1"), time.Second)
		assert.ErrorIs(t, err, ErrNotAllowed)
		t.Skip("this machine does not let us ask")
	}
	took, err := c.Echo(t.Context(), netip.MustParseAddr("127.12.0.1"), 2*time.Second)
	require.NoError(t, err)
	assert.Positive(t, took)
	_, err = c.Echo(t.Context(), netip.MustParseAddr("::ffff:127.12.0.2"), 2*time.Second)
	assert.NoError(t, err, "written as IPv6 it is the same")
	ended, cancel := context.WithCancel(t.Context())
	cancel()
	_, err = c.Echo(ended, netip.MustParseAddr("192.0.2.1"), time.Second)
	assert.Error(t, err)
	c.mu.Lock()
	defer c.mu.Unlock()
	assert.Empty(t, c.waiting)
}

func TestOnlyWhoWasAskedAnswers(t *testing.T) {
	c := &Client{waiting: map[[keySize]byte]*call{}}
	key := [keySize]byte{7}
	x := &call{netip.MustParseAddr("192.0.2.1"), make(chan time.Time, 1)}
	c.waiting[key] = x
	c.deliver(key, netip.MustParseAddr("192.0.2.2"), time.Now())
	c.deliver([keySize]byte{8}, x.at, time.Now())
	assert.Empty(t, x.back)
	c.deliver(key, x.at, time.Now())
	c.deliver(key, x.at, time.Now())
	assert.Len(t, x.back, 1, "and once")
}
