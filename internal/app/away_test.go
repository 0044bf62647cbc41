package app

import (
	"encoding/json"
	"io"
	"net/http"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/demo"
	"tirelessowl/internal/testkit"
)

// While the database is away, pages say so in the same look, fragments and the
// API in words that they can show, nobody is signed out, and all comes back by
// itself; what was collected meanwhile is there.
func TestPagesWhileTheDatabaseIsAway(t *testing.T) {
	r, _ := world(t)
	c := browser(t)
	r.signIn(t, c, demo.Password)
	back := testkit.Away(t, r.Store)
	t.Cleanup(back)
	ask := func(path, accept, fragment string) (int, string, http.Header) {
		req, err := http.NewRequestWithContext(t.Context(), http.MethodGet, r.url+path, nil)
		require.NoError(t, err)
		req.Header.Set("Accept", accept)
		if fragment != "" {
			req.Header.Set("HX-Request", fragment)
		}
		res, err := c.Do(req)
		require.NoError(t, err)
		defer res.Body.Close()
		body, err := io.ReadAll(res.Body)
		require.NoError(t, err)
		return res.StatusCode, string(body), res.Header
	}
	for path, waits := range map[string]bool{"/": true, "/devices": false} { // at once, and when it has been noticed
		status, body, header := ask(path, "text/html", "")
		assert.Equal(t, http.StatusServiceUnavailable, status, path)
		assert.Contains(t, body, "The database does not answer", path)
		assert.Contains(t, body, "Collecting goes on", path)
		assert.Contains(t, body, "/static/vendor/owl.css", "in the same look")
		assert.NotEmpty(t, header.Get("Retry-After"))
		if waits {
			require.Eventually(t, func() bool { _, _, away := r.Store.Vigil.Away(); return away }, 10*time.Second, 10*time.Millisecond)
		}
	}
	status, body, _ := ask("/estate-strip", "*/*", "true")
	assert.Equal(t, http.StatusServiceUnavailable, status)
	assert.Contains(t, body, "the database takes nothing since 20")
	assert.NotContains(t, body, "<", "a fragment leaves the page as it was")
	status, body, header := ask("/api/v1/devices", "application/json", "")
	assert.Equal(t, http.StatusServiceUnavailable, status)
	assert.Equal(t, "application/problem+json", header.Get("Content-Type"))
	assert.True(t, json.Valid([]byte(body)))
	status, _, _ = ask("/readyz", "*/*", "")
	assert.Equal(t, http.StatusServiceUnavailable, status)
	status, _, _ = ask("/healthz", "*/*", "")
	assert.Equal(t, http.StatusOK, status, "the process is well")
	require.Eventually(
		t,
		func() bool { t, ok := r.Engine.Trouble(); return ok && t.Blocks > 0 },
		90*time.Second,
		100*time.Millisecond,
		"collecting goes on",
	)

	back()
	require.Eventually(
		t,
		func() bool { status, _, _ := ask("/readyz", "*/*", ""); return status == http.StatusOK },
		30*time.Second,
		50*time.Millisecond,
	)
	status, body, _ = ask("/devices", "text/html", "")
	assert.Equal(t, http.StatusOK, status)
	assert.Contains(t, body, "Sign out", "still signed in")
	_, troubled := r.Engine.Trouble()
	assert.False(t, troubled)
}
