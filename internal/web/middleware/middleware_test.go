package middleware

import (
	"context"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/alexedwards/scs/v2"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

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
	h := serve(Headers(reads), "GET", "/", "").Header()
	policy := h.Get("Content-Security-Policy")
	assert.Contains(t, policy, "default-src 'none'")
	for _, wrong := range []string{"unsafe", "*", "http:", "https:"} {
		assert.NotContains(t, policy, wrong)
	}
	assert.Equal(t, "nosniff", h.Get("X-Content-Type-Options"))
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

// Use moves the end of a session, a minute at a time, up to a week after its
// beginning: 12 hours without use end it.
func TestUseProlongsASession(t *testing.T) {
	sessions := scs.New() // in memory
	sessions.Lifetime = SessionTime
	ctx, err := sessions.Load(t.Context(), "")
	require.NoError(t, err)
	began := time.Now()
	require.NoError(t, SignIn(ctx, sessions, 7))
	lasts := func() time.Duration { return sessions.Deadline(ctx).Sub(began).Round(10 * time.Second) }
	for _, c := range []struct{ used, end time.Duration }{
		{50 * time.Second, 12 * time.Hour},
		{70 * time.Second, 12*time.Hour + 70*time.Second},
		{11 * time.Hour, 23 * time.Hour},
		{6*24*time.Hour + 13*time.Hour, 7 * 24 * time.Hour},
		{6*24*time.Hour + 23*time.Hour, 7 * 24 * time.Hour},
	} {
		prolong(ctx, sessions, began.Add(c.used))
		assert.Equal(t, c.end, lasts(), "used after %s", c.used)
	}
	old, err := sessions.Load(t.Context(), "")
	require.NoError(t, err)
	sessions.Put(old, SessionUser, int64(7))
	end := sessions.Deadline(old)
	prolong(old, sessions, began.Add(time.Hour))
	assert.Equal(t, end, sessions.Deadline(old), "one of an earlier version ends when it was to end")
}
