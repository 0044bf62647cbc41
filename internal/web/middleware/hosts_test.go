package middleware

import (
	"net/http"
	"net/http/httptest"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestOnlyOwnNamesAreAnswered(t *testing.T) {
	h := Hosts("https://Owl.harbour.example:8443")(http.HandlerFunc(func(http.ResponseWriter, *http.Request) {}))
	for host, right := range map[string]bool{
		"owl.harbour.example":       true,
		"OWL.harbour.example.:8443": true,
		"localhost:8470":            true,
		"127.0.0.1:8470":            true,
		"192.0.2.7":                 true,
		"[::1]:8470":                true,
		"[2001:db8::1]":             true,
		"evil.example":              false,
		"owl.harbour.example.evil":  false,
		"127.0.0.1.evil.example":    false,
		"localhost.evil.example":    false,
		"":                          false,
		"[evil]":                    false,
	} {
		r := httptest.NewRequest(http.MethodGet, "/", nil)
		r.Host = host
		w := httptest.NewRecorder()
		h.ServeHTTP(w, r)
		assert.Equal(t, right, w.Code == http.StatusOK, host)
		if !right {
			assert.Equal(t, http.StatusMisdirectedRequest, w.Code, host)
		}
	}
}
