package middleware

import (
	"net/http"
	"net/http/httptest"
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestWhoAsksIsKnownBehindTrustedProxiesOnly(t *testing.T) {
	trusted := []netip.Prefix{netip.MustParsePrefix("192.0.2.0/28"), netip.MustParsePrefix("2001:db8::/64")}
	for _, c := range []struct {
		peer  string
		noted []string
		want  string
	}{
		{"198.51.100.7:4000", []string{"203.0.113.9"}, "198.51.100.7"}, // anybody can note anything
		{"192.0.2.1:4000", []string{"203.0.113.9"}, "203.0.113.9"},
		{"192.0.2.1:4000", nil, "192.0.2.1"},
		{"192.0.2.1:4000", []string{"10.0.0.1, 203.0.113.9"}, "203.0.113.9"}, // the first was noted by who asks
		{"192.0.2.1:4000", []string{"203.0.113.9, 192.0.2.3"}, "203.0.113.9"},
		{"192.0.2.1:4000", []string{"203.0.113.9", "192.0.2.3"}, "203.0.113.9"}, // two lines are one list
		{"192.0.2.1:4000", []string{"192.0.2.5"}, "192.0.2.5"},
		{"192.0.2.1:4000", []string{"203.0.113.9, <script>"}, "192.0.2.1"},
		{"192.0.2.1:4000", []string{""}, "192.0.2.1"},
		{"[::ffff:192.0.2.1]:4000", []string{"203.0.113.9"}, "203.0.113.9"},
		{"[2001:db8::1]:4000", []string{"2001:db8:1::9"}, "2001:db8:1::9"},
	} {
		var got string
		h := Behind(trusted)(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) { got = From(r) }))
		r := httptest.NewRequest(http.MethodGet, "/", nil)
		r.RemoteAddr = c.peer
		for _, line := range c.noted {
			r.Header.Add(forwarded, line)
		}
		h.ServeHTTP(httptest.NewRecorder(), r)
		assert.Equal(t, c.want, got, c)
	}
}

func TestWithoutTrustedProxiesNothingIsBelieved(t *testing.T) {
	var got string
	h := Behind(nil)(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) { got = From(r) }))
	r := httptest.NewRequest(http.MethodGet, "/", nil)
	r.RemoteAddr = "192.0.2.1:1"
	r.Header.Set(forwarded, "203.0.113.9")
	h.ServeHTTP(httptest.NewRecorder(), r)
	assert.Equal(t, "192.0.2.1", got)
}
