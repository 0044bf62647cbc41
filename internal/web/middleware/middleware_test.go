package middleware

import (
	"context"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
)

func serve(h http.Handler, method, path, body string) *httptest.ResponseRecorder {
	w := httptest.NewRecorder()
	h.ServeHTTP(w, httptest.NewRequest(method, path, strings.NewReader(body)))
	return w
}

// reads answers with how much of the body could be read.
var reads = http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
	if _, err := io.ReadAll(r.Body); err != nil {
		http.Error(w, err.Error(), http.StatusRequestEntityTooLarge)
	}
})

func TestLimits(t *testing.T) {
	h := Limits(map[string]int64{"/import": 3 << 20})(reads)
	for path, most := range map[string]int{"/": 1 << 20, "/import": 3 << 20, "/import/x": 1 << 20} {
		assert.Equal(t, http.StatusOK, serve(h, "POST", path, strings.Repeat("x", most)).Code, path)
		assert.Equal(t, http.StatusRequestEntityTooLarge, serve(h, "POST", path, strings.Repeat("x", most+1)).Code, path)
	}
}

func TestHeadersForbidWhatWeDoNotShip(t *testing.T) {
	h := serve(Headers(false)(reads), "GET", "/", "").Header()
	policy := h.Get("Content-Security-Policy")
	assert.Contains(t, policy, "default-src 'none'")
	for _, wrong := range []string{"unsafe", "*", "http:", "https:"} {
		assert.NotContains(t, policy, wrong)
	}
	assert.Equal(t, "nosniff", h.Get("X-Content-Type-Options"))
	assert.Equal(t, "no-store", h.Get("Cache-Control"))
	assert.Empty(t, h.Get("Strict-Transport-Security"), "without TLS it would lock people out")
	assert.Equal(t, "max-age=31536000", serve(Headers(true)(reads), "GET", "/", "").Header().Get("Strict-Transport-Security"))
}

func TestNobodyIsSignedInByDefault(t *testing.T) {
	who := Who(t.Context())
	assert.True(t, who.Scope(domain.AreaWatch, domain.AccessSee).None())
	signed := context.WithValue(t.Context(), actorKey{}, access.Itself("a test"))
	assert.Equal(t, "a test", Who(signed).Name)
	r := httptest.NewRequest("GET", "/", nil)
	r.RemoteAddr = "192.0.2.7:5060"
	assert.Equal(t, "192.0.2.7", From(r))
}
