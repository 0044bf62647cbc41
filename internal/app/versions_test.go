package app

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/devices"
	"tirelessowl/internal/testkit"
)

// put changes something through the API, of a version.
func (r running) put(t *testing.T, path, match string, body any) *http.Response {
	t.Helper()
	text, err := json.Marshal(body)
	require.NoError(t, err)
	req, err := http.NewRequestWithContext(t.Context(), http.MethodPut, r.url+"/api/v1"+path, bytes.NewReader(text))
	require.NoError(t, err)
	req.Header.Set("Authorization", "Bearer "+r.token)
	req.Header.Set("Content-Type", "application/json")
	if match != "" {
		req.Header.Set("If-Match", match)
	}
	res, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	res.Body.Close()
	return res
}

// Of two who change one thing, the second is told (RFC 9110, section 13.1.1).
func TestTheSecondOfTwoChangesIsTold(t *testing.T) {
	r, _, mine, _ := twoOrganisations(t)
	path := fmt.Sprintf("/devices/%d", mine.device)
	body := map[string]any{"name": "quay-sw-1", "address": "192.0.2.1", "place_id": mine.place, "friendly": "The old switch"}
	first := r.put(t, path, `"1"`, body)
	require.Equal(t, 200, first.StatusCode)
	assert.Equal(t, `"2"`, first.Header.Get("ETag"))
	for _, stale := range []string{`"1"`, `"99"`, "nonsense", `W/"2"`, "2"} {
		assert.Equal(t, http.StatusPreconditionFailed, r.put(t, path, stale, body).StatusCode, stale)
	}
	delete(body, "friendly")
	for _, match := range []string{`"2"`, "*", ""} {
		assert.Equal(t, 200, r.put(t, path, match, body).StatusCode, match)
	}
	d, err := r.Store.Devices.One(t.Context(), mine.device)
	require.NoError(t, err)
	assert.Equal(t, "The old switch", d.Friendly, "what is left out stays")

	var rule map[string]any
	require.Equal(t, 200, r.call(t, http.MethodGet, "/rules/1", nil, &rule))
	rule["title"] = "{device} again"
	changed := r.put(t, "/rules/1", `"1"`, rule)
	require.Equal(t, 200, changed.StatusCode)
	assert.Equal(t, http.StatusPreconditionFailed, r.put(t, "/rules/1", `"1"`, rule).StatusCode)
	assert.Equal(t, 200, r.put(t, "/rules/1", changed.Header.Get("ETag"), rule).StatusCode)
}

func TestTheScreensKeepWhatTheSecondTyped(t *testing.T) {
	r, _, mine, _ := twoOrganisations(t)
	d, err := r.Store.Devices.One(t.Context(), mine.device)
	require.NoError(t, err)
	draft := devices.Draft{Name: d.Name, Address: d.Address.String(), PlaceID: d.PlaceID, Version: d.Version}
	_, err = r.Devices.Change(t.Context(), testkit.Anyone, d.ID, draft)
	require.NoError(t, err)
	_, err = r.Devices.Change(t.Context(), testkit.Anyone, d.ID, draft)
	assert.ErrorIs(t, err, domain.ErrChanged)
}
