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
	return r.send(t, http.MethodPut, path, match, body)
}

func (r running) send(t *testing.T, method, path, match string, body any) *http.Response {
	t.Helper()
	text, err := json.Marshal(body)
	require.NoError(t, err)
	req, err := http.NewRequestWithContext(t.Context(), method, r.url+"/api/v1"+path, bytes.NewReader(text))
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
	patch := map[string]any{"friendly": "The older switch"}
	assert.Equal(t, http.StatusPreconditionFailed, r.send(t, http.MethodPatch, path, `"1"`, patch).StatusCode)
	assert.Equal(t, 200, r.send(t, http.MethodPatch, path, `"2"`, patch).StatusCode)
	assert.Equal(t, http.StatusPreconditionFailed, r.send(t, http.MethodDelete, path, `"2"`, nil).StatusCode)
	for _, match := range []string{`"3"`, "*", ""} {
		assert.Equal(t, 200, r.put(t, path, match, body).StatusCode, match)
	}
	require.Equal(t, 200, r.send(t, http.MethodPatch, path, "", map[string]any{"name": "quay-sw-9"}).StatusCode)
	d, err := r.Store.Devices.One(t.Context(), mine.device)
	require.NoError(t, err)
	assert.Equal(t, []string{"quay-sw-9", "The old switch", "192.0.2.1"}, []string{d.Name, d.Friendly, d.Address.String()},
		"what a patch leaves out stays")

	var rule map[string]any
	require.Equal(t, 200, r.call(t, http.MethodGet, "/rules/1", nil, &rule))
	rule["title"] = "{device} again"
	changed := r.put(t, "/rules/1", `"1"`, rule)
	require.Equal(t, 200, changed.StatusCode)
	assert.Equal(t, http.StatusPreconditionFailed, r.put(t, "/rules/1", `"1"`, rule).StatusCode)
	assert.Equal(t, 200, r.put(t, "/rules/1", changed.Header.Get("ETag"), rule).StatusCode)
}

// What has no version of its own has a mark of what is there.
func TestTheSecondOfTwoSettingsIsTold(t *testing.T) {
	r, _, mine, _ := twoOrganisations(t)
	var listed struct {
		Items []struct{ Key, ETag string }
	}
	at := func(path, key string) string {
		require.Equal(t, 200, r.call(t, http.MethodGet, path, nil, &listed))
		for _, x := range listed.Items {
			if x.Key == key {
				return x.ETag
			}
		}
		t.Fatal(key, " is not listed")
		return ""
	}
	path := fmt.Sprintf("/devices/%d/settings", mine.device)
	none := at(path, "stretch")
	require.Equal(t, 204, r.put(t, path+"/stretch", none, map[string]any{"value": "2"}).StatusCode)
	for _, stale := range []string{none, "nonsense", `W/` + at(path, "stretch")} {
		assert.Equal(t, http.StatusPreconditionFailed, r.put(t, path+"/stretch", stale, map[string]any{"value": "3"}).StatusCode, stale)
	}
	for _, match := range []string{at(path, "stretch"), "*", ""} {
		assert.Equal(t, 204, r.put(t, path+"/stretch", match, map[string]any{"value": "4"}).StatusCode, match)
	}
	var endpoints struct {
		Items []struct{ Way, ETag string }
	}
	path = fmt.Sprintf("/devices/%d/endpoints", mine.device)
	require.Equal(t, 200, r.call(t, http.MethodGet, path, nil, &endpoints))
	require.NotEmpty(t, endpoints.Items)
	e := endpoints.Items[0]
	asked := map[string]any{"settings": map[string]string{"port": "1161"}}
	require.Equal(t, 200, r.put(t, path+"/"+e.Way, e.ETag, asked).StatusCode)
	assert.Equal(t, http.StatusPreconditionFailed, r.put(t, path+"/"+e.Way, e.ETag, asked).StatusCode)
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
