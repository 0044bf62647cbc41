package app

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/testkit"
)

// A form that broke off, is none, or says nothing wakes no device that is paused.
func TestWhatCannotBeReadSwitchesNothing(t *testing.T) {
	r, _, mine, _ := twoOrganisations(t)
	h := &hall{r, map[string]*http.Cookie{}, map[string]string{}}
	h.enter(t, "inside", domain.Grant{PlaceID: mine.place, Level: domain.AccessAdminister})
	require.NoError(t, r.Devices.SetPaused(t.Context(), testkit.Anyone, mine.device, true))
	for _, c := range []struct {
		kind, body string
		status     int
	}{
		{"application/x-www-form-urlencoded", "paused=no&x=%zz", http.StatusBadRequest},
		{"application/x-www-form-urlencoded", "paused=no&x=%00", http.StatusBadRequest},
		{"text/plain", "paused=no", http.StatusBadRequest},
		{"application/x-www-form-urlencoded", "", http.StatusUnprocessableEntity},
		{"application/x-www-form-urlencoded", "paused=", http.StatusUnprocessableEntity},
		{"application/x-www-form-urlencoded", "paused=no&x=" + strings.Repeat("x", 2<<20), http.StatusRequestEntityTooLarge},
	} {
		path := fmt.Sprintf("/devices/%d/pause", mine.device)
		req := httptest.NewRequestWithContext(t.Context(), http.MethodPost, path, strings.NewReader(c.body))
		req.Host = "localhost"
		req.Header.Set("Content-Type", c.kind)
		req.AddCookie(h.cookies["inside"])
		w := httptest.NewRecorder()
		h.server.Handler.ServeHTTP(w, req)
		assert.Equal(t, c.status, w.Code, "%s %.40s", c.kind, c.body)
		d, err := r.Store.Devices.One(t.Context(), mine.device)
		require.NoError(t, err)
		assert.True(t, d.Paused, "%s %.40s", c.kind, c.body)
	}
}
