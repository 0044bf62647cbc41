package tcp

import (
	"context"
	"net"
	"net/netip"
	"time"
)

// maxGreeting bounds what is read of a greeting, in bytes.
const maxGreeting = 256

// greetingTime is how long a server that has let us in may take to greet.
const greetingTime = 700 * time.Millisecond

// Greets tells whether a port lets us in, and what it says by itself then: servers of SSH,
// mail and others do, most others wait to be asked. What it says is as it came.
func Greets(ctx context.Context, to netip.AddrPort, timeout time.Duration) (open bool, greeting string) {
	conn, err := (&net.Dialer{Timeout: timeout}).DialContext(ctx, "tcp", to.String())
	if err != nil {
		return false, ""
	}
	defer conn.Close()
	_ = conn.SetReadDeadline(time.Now().Add(greetingTime))
	buf := make([]byte, maxGreeting)
	n, _ := conn.Read(buf) // silence is no error
	return true, string(buf[:n])
}
