package find

import (
	"context"
	"fmt"
	"net/netip"
	"strings"
	"time"

	"golang.org/x/time/rate"

	"tirelessowl/internal/core/ports"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/units"
)

// Looker looks at addresses by other ways than the prober.
type Looker interface {
	// MayEcho tells whether the process may ask by ICMP echo.
	MayEcho() bool
	Echo(ctx context.Context, a netip.Addr, timeout time.Duration) (time.Duration, error)
	// Greets tells whether a TCP port is open, and what it says by itself, as it came.
	Greets(ctx context.Context, at netip.AddrPort, timeout time.Duration) (open bool, greeting string)
}

// MayEcho tells whether sweeps can ask by ICMP echo.
func (s *Service) MayEcho() bool { return s.looker.MayEcho() }

// lookTime is how long an echo, and a port, is waited for.
const lookTime = time.Second

// mostGreeting is how much of a greeting is kept, in bytes.
const mostGreeting = 60

// look says what else answers at an address, as far as the sweep asks for it.
func (w *sweep) look(ctx context.Context, a netip.Addr, pace *rate.Limiter) (said []string) {
	if w.Echo && pace.Wait(ctx) == nil {
		if took, err := w.looker.Echo(ctx, a, lookTime); err == nil {
			said = append(said, "answers an echo in "+units.Format(took.Seconds(), "s"))
		}
	}
	for _, x := range w.open(ctx, a, pace) {
		words := fmt.Sprintf("port %d is open", x.port)
		if x.greeting != "" {
			words += " and says “" + x.greeting + "”"
		}
		said = append(said, words)
	}
	return said
}

// greeted is an open port with what it says by itself.
type greeted struct {
	port     int
	greeting string
}

// open are the TCP ports that are open at an address, of those that the sweep asks for.
func (w *sweep) open(ctx context.Context, a netip.Addr, pace *rate.Limiter) (out []greeted) {
	all, _ := ports.Read(w.Ports) // it was read before it was stored
	for _, port := range all {
		if pace.Wait(ctx) != nil {
			return out
		}
		open, greeting := w.looker.Greets(ctx, netip.AddrPortFrom(a, uint16(port)), lookTime)
		if open {
			out = append(out, greeted{port, strings.TrimSpace(text.Brief(greeting, mostGreeting))})
		}
	}
	return out
}
