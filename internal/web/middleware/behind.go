package middleware

import (
	"net"
	"net/http"
	"net/netip"
	"slices"
	"strings"
)

// forwarded is where proxies note from whom a request came, the nearest last.
const forwarded = "X-Forwarded-For"

// Behind takes the address of who asks from what trusted proxies note of it. What anybody
// else notes counts for nothing: it is what it wants to be taken for.
func Behind(trusted []netip.Prefix) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		if len(trusted) == 0 {
			return next
		}
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if from := client(r, trusted); from.IsValid() {
				r.RemoteAddr = net.JoinHostPort(from.String(), "0")
			}
			next.ServeHTTP(w, r)
		})
	}
}

// client is the nearest address that is not one of the trusted proxies; the zero one where
// the request came from it directly, or something is noted that is no address.
func client(r *http.Request, trusted []netip.Prefix) (from netip.Addr) {
	is := func(a netip.Addr) bool {
		return slices.ContainsFunc(trusted, func(p netip.Prefix) bool { return p.Contains(a) })
	}
	peer, err := netip.ParseAddr(From(r))
	if err != nil || !is(peer.Unmap()) {
		return netip.Addr{}
	}
	noted := strings.Split(strings.Join(r.Header.Values(forwarded), ","), ",")
	for _, text := range slices.Backward(noted) {
		a, err := netip.ParseAddr(strings.TrimSpace(text))
		if err != nil {
			return netip.Addr{}
		}
		if from = a.Unmap().WithZone(""); !is(from) {
			return from
		}
	}
	return from
}
