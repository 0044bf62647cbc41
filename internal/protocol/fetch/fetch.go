package fetch

import (
	"context"
	"fmt"
	"net"
	"net/netip"
	"net/url"
	"strings"

	"tirelessowl/internal/protocol/dial"
)

// MostBody and MostHeaders bound what is read of an answer, in bytes; MostKept what of the body a reading can be made of.
const (
	MostBody    = 1 << 20
	MostHeaders = 64 << 10
	MostKept    = 64 << 10
)

// Bracketed is an address as it stands in addresses of pages.
func Bracketed(a netip.Addr) string {
	if a.Is6() && !a.Is4In6() {
		return "[" + a.String() + "]"
	}
	return a.Unmap().String()
}

// Shown is the address of a page without its query and what else may differ each time.
func Shown(u *url.URL) string {
	path, _, _ := strings.Cut(u.Path, ";")
	return fmt.Sprintf("%s://%s%.200s", u.Scheme, u.Host, path)
}

// Pinned connects to a device itself for the name that its page is asked under.
func Pinned(by dial.Func, host string, device netip.Addr) dial.Func {
	return func(ctx context.Context, network, address string) (net.Conn, error) {
		name, port, err := net.SplitHostPort(address)
		if err == nil && name == host {
			address = net.JoinHostPort(device.Unmap().String(), port)
		}
		return by(ctx, network, address)
	}
}
