package tcp

import (
	"net"
	"net/netip"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestConnect(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	to := netip.MustParseAddrPort(l.Addr().String())
	took, err := Connect(t.Context(), to, time.Second)
	require.NoError(t, err)
	assert.Positive(t, took)
	l.Close()
	_, err = Connect(t.Context(), to, time.Second)
	assert.ErrorContains(t, err, "refuses")
}
