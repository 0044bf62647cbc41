package middleware

import (
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"strings"
)

// Hosts answers only where it is asked by its own name, by an address, or as localhost: a
// name of somebody else that was made to stand for our address is not ours (DNS rebinding).
func Hosts(own string) func(http.Handler) http.Handler {
	name := ""
	if u, err := url.Parse(own); err == nil {
		name = u.Hostname()
	}
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if !ours(r.Host, name) {
				http.Error(w, "this is not asked by its own name: see OWL_URL", http.StatusMisdirectedRequest)
				return
			}
			next.ServeHTTP(w, r)
		})
	}
}

func ours(asked, name string) bool {
	host := asked
	if h, _, err := net.SplitHostPort(asked); err == nil {
		host = h
	}
	host = strings.TrimSuffix(strings.ToLower(strings.Trim(host, "[]")), ".")
	if host == "localhost" || host == strings.ToLower(name) && name != "" {
		return true
	}
	_, err := netip.ParseAddr(host)
	return err == nil
}
