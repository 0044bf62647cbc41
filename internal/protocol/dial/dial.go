// Package dial connects to what may be talked to.
package dial

import (
	"context"
	"fmt"
	"net"
	"net/http"
	"net/netip"
	"syscall"
	"time"

	"tirelessowl/internal/core/guard"
)

// Func opens a connection.
type Func func(ctx context.Context, network, address string) (net.Conn, error)

// connectLimit bounds the making of a connection.
const connectLimit = 20 * time.Second

// Through returns a way to connect that asks a guard about each address that a name stands
// for, at the moment at which it is connected to: a name may stand for another one than when
// it was looked at.
func Through(g guard.Guard) Func {
	d := net.Dialer{
		Timeout: connectLimit,
		ControlContext: func(ctx context.Context, _, address string, _ syscall.RawConn) error {
			at, err := netip.ParseAddrPort(address)
			if err != nil {
				return fmt.Errorf("%s: %w", address, err)
			}
			if refusal := g.Refusal(at.Addr()); refusal != "" {
				return &Refused{at.Addr(), refusal, true}
			}
			if further, is := ctx.Value(within{}).(func(netip.Addr) string); is {
				if refusal := further(at.Addr()); refusal != "" {
					return &Refused{at.Addr(), refusal, false}
				}
			}
			return nil
		},
	}
	return d.DialContext
}

type within struct{}

// Within has each connection of a context refused where something is against its address, besides what the guard says.
func Within(ctx context.Context, refuses func(netip.Addr) string) context.Context {
	if refuses == nil {
		return ctx
	}
	return context.WithValue(ctx, within{}, refuses)
}

// Refused is a connection that may not be.
type Refused struct {
	Addr   netip.Addr
	Reason string
	ours   bool // the installation refuses it, and may be told otherwise
}

func (e *Refused) Error() string {
	if !e.ours {
		return fmt.Sprintf("%s %s", e.Addr, e.Reason)
	}
	return fmt.Sprintf("%s %s, and is not talked to unless OWL_ALLOW_ADDRESSES names it", e.Addr, e.Reason)
}

// From tells from which address of this machine another one is reached. Nothing is sent for that: a socket of UDP
// is only bound.
func From(to netip.Addr) (netip.Addr, error) {
	c, err := net.Dial("udp", netip.AddrPortFrom(to, 9).String())
	if err != nil {
		return netip.Addr{}, err
	}
	defer c.Close()
	at, err := netip.ParseAddrPort(c.LocalAddr().String())
	return at.Addr(), err
}

// Client returns an HTTP client over a way to connect. It follows nobody anywhere: where it
// is sent to, what it brings was not meant for.
func Client(by Func, patience time.Duration) *http.Client {
	return &http.Client{
		Transport: &http.Transport{
			DialContext:           by,
			ForceAttemptHTTP2:     true,
			MaxIdleConns:          20,
			IdleConnTimeout:       time.Minute,
			TLSHandshakeTimeout:   connectLimit,
			ResponseHeaderTimeout: patience,
		},
		Timeout:       patience,
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
	}
}
