package probe

import (
	"context"
	"net/netip"
	"time"

	"tirelessowl/internal/protocol/icmp"
	"tirelessowl/internal/protocol/tcp"
)

// Looker looks at addresses by other ways than SNMP.
type Looker struct{ ICMP *icmp.Client }

// MayEcho implements find.Looker.
func (l Looker) MayEcho() bool { return l.ICMP.May() }

// Echo implements find.Looker.
func (l Looker) Echo(ctx context.Context, a netip.Addr, timeout time.Duration) (time.Duration, error) {
	return l.ICMP.Echo(ctx, a, timeout)
}

// Greets implements find.Looker.
func (Looker) Greets(ctx context.Context, at netip.AddrPort, timeout time.Duration) (open bool, greeting string) {
	return tcp.Greets(ctx, at, timeout)
}
