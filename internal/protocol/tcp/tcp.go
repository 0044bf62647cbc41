// Package tcp asks whether a port accepts connections.
package tcp

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/netip"
	"syscall"
	"time"
)

// Connect opens and closes a connection and returns how long opening took.
// The error says in words whether the port refused or stayed silent.
func Connect(ctx context.Context, to netip.AddrPort, timeout time.Duration) (time.Duration, error) {
	start := time.Now()
	dialer := net.Dialer{Timeout: timeout}
	conn, err := dialer.DialContext(ctx, "tcp", to.String())
	took := time.Since(start)
	if err == nil {
		return took, conn.Close()
	}
	var timeoutErr net.Error
	switch {
	case errors.Is(err, syscall.ECONNREFUSED):
		return took, fmt.Errorf("port %d refuses connections", to.Port())
	case errors.As(err, &timeoutErr) && timeoutErr.Timeout():
		return took, fmt.Errorf("no answer from port %d in %s", to.Port(), timeout)
	}
	return took, err
}
