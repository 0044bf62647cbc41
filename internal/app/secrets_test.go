package app

import (
	"encoding/base64"
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/demo"
	"tirelessowl/internal/domain"
)

// Secrets reach no page, no answer of the API, no trial, no export and no log: neither those that are stored, nor those that
// somebody types, taken or refused.
func TestSecretsAreToldToNobody(t *testing.T) {
	r, client := world(t)
	const typed = "typed & by hand 88"
	var forms []string
	for _, secret := range []string{watchword, typed} {
		pair := base64.StdEncoding.EncodeToString([]byte(lookout + ":" + secret))
		forms = append(forms, secret, url.QueryEscape(secret), url.PathEscape(secret), pair)
	}
	keeps := func(where, text string) {
		for _, form := range forms {
			assert.NotContains(t, text, form, where)
		}
	}
	places, err := r.Store.Places.All(t.Context())
	require.NoError(t, err)
	services, err := client.Services(t.Context())
	require.NoError(t, err)
	devices, err := r.Store.Devices.All(t.Context())
	require.NoError(t, err)
	portal := services[slices.IndexFunc(services, func(s domain.SimulatedService) bool { return s.Name == "second portal" })]
	kiosk := devices[slices.IndexFunc(devices, func(d domain.Device) bool { return d.Name == portal.Device })]
	draft := func(password string) string {
		out, err := json.Marshal(map[string]any{
			"kit": "web-sign-in", "address": fmt.Sprintf("http://%s:%d/", kiosk.Address, portal.Port), "place_id": places[0].ID,
			"credential": map[string]any{"kind": "web-sign-in", "values": map[string]string{"user": lookout, "password": password}},
		})
		require.NoError(t, err)
		return string(out)
	}
	for _, x := range []struct{ path, password, says string }{
		{"/devices/drafts/trial", watchword, `"passes"`},
		{"/devices/drafts/trial", typed, `"sign-in failed"`},
		{"/devices", typed, `"known":true`},
	} {
		res, text := r.raw(t, http.MethodPost, "/api/v1"+x.path, "application/json", draft(x.password))
		assert.Less(t, res.StatusCode, 300, text)
		assert.Contains(t, text, x.says)
		keeps(x.path, text)
	}
	require.Eventually(t, func() bool { // it is collected, and refused
		_, text := r.raw(t, http.MethodGet, "/api/v1/values?kit=web-sign-in&limit=100", "", "")
		return strings.Contains(text, "nobody is let in")
	}, 20*time.Second, 100*time.Millisecond)
	for _, path := range []string{"/devices", "/credentials", "/values?limit=1000", "/audit?limit=200", "/overrides", "/kits?limit=200"} {
		_, text := r.raw(t, http.MethodGet, "/api/v1"+path, "", "")
		keeps(path, text)
	}
	c := browser(t)
	r.signIn(t, c, demo.Password)
	pages, _ := crawl(t, r, c, func(address, body string) { keeps(address, body) })
	assert.Greater(t, pages, 300)
	_, csv, _ := get(t, c, r.url+"/collect/values.csv")
	keeps("export", csv)
	keeps("log", r.said.String())
}
