package app

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"net/url"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	judging "tirelessowl/internal/core/estate"
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

// grow adds devices with ports, and an incident at each.
func grow(t *testing.T, r running, from, to, ports int) {
	t.Helper()
	ctx := t.Context()
	places, err := r.Store.Places.All(ctx)
	require.NoError(t, err)
	rules, err := r.Store.Rules.All(ctx)
	require.NoError(t, err)
	i := slices.IndexFunc(rules, func(x rule.Rule) bool { return x.Name == "Errors on an interface" })
	var found judging.Result
	for n := from; n < to; n++ {
		d, err := r.Store.Devices.Add(ctx, domain.Device{PlaceID: places[n%len(places)].ID, Name: fmt.Sprintf("sw-%d", n), Kind: "switch",
			Address: netip.AddrFrom4([4]byte{198, 51, byte(n >> 8), byte(n)}), CreatedAt: time.Now()}, "", nil)
		require.NoError(t, err)
		for _, kit := range []string{"interfaces", "reachability"} {
			require.NoError(t, r.Store.Fittings.Fit(ctx, domain.Fitting{DeviceID: d.ID, Kit: kit}))
		}
		parts := make([]domain.Part, ports)
		for i := range parts {
			name := fmt.Sprintf("port%d", i+1)
			parts[i] = domain.Part{
				DeviceID: d.ID,
				Kit:      "interfaces",
				Kind:     "interface",
				Key:      name,
				Index:    fmt.Sprint(i + 1),
				Name:     name,
				Note:     "to the quay, " + strings.Repeat("x", i%40),
			}
		}
		parts, err = r.Store.Parts.Add(ctx, parts)
		require.NoError(t, err)
		var series []domain.Series
		for _, p := range parts {
			for _, reading := range []string{"in", "out", "in_errors", "out_errors"} {
				series = append(
					series,
					domain.Series{
						DeviceID: d.ID,
						PartID:   p.ID,
						Kit:      "interfaces",
						Reading:  reading,
						Name:     reading,
						Unit:     "bit/s",
						Interval: time.Minute,
						State:    domain.SeriesOK,
					},
				)
			}
		}
		series, err = r.Store.Series.Add(ctx, series)
		require.NoError(t, err)
		x := series[2]
		subject := judging.Series{
			ID:       x.ID,
			DeviceID: d.ID,
			PartID:   x.PartID,
			Part:     "port1",
			Name:     x.Name,
			Kit:      x.Kit,
			Reading:  x.Reading,
			Every:    x.Interval,
		}
		at := time.Now().UTC().Add(-time.Duration(n) * time.Second)
		found.Add(judging.Result{
			Judged: []judging.Judged{
				{
					Rule:       rules[i],
					Series:     subject,
					Device:     judging.Device{ID: d.ID, Name: d.Name},
					To:         domain.LevelWarning,
					At:         at,
					FirstBadAt: at,
					Value:      9,
					Limit:      5,
				},
			},
			Health: []judging.HealthChange{
				{
					Device: judging.Device{ID: d.ID, Name: d.Name},
					From:   domain.Unknown,
					To:     domain.Warning,
					At:     at,
					Reason: "port1 receives broken packets",
				},
			},
		})
	}
	require.NoError(t, r.Respond.Record(ctx, 0, found))
}

// ask opens a page as a signed-in person and counts its statements.
func ask(t *testing.T, r running, c *http.Client, path string) (*store.Statements, string) {
	t.Helper()
	ctx, statements := store.CountStatements(t.Context())
	req := httptest.NewRequestWithContext(ctx, http.MethodGet, path, nil)
	req.Host = "localhost"
	at, err := url.Parse(r.url)
	require.NoError(t, err)
	for _, cookie := range c.Jar.Cookies(at) {
		req.AddCookie(cookie)
	}
	if strings.HasPrefix(path, "/api/") {
		req.Header.Set("Authorization", "Bearer "+r.token)
	}
	w := httptest.NewRecorder()
	r.server.Handler.ServeHTTP(w, req)
	require.Equal(t, http.StatusOK, w.Code, "%s: %s", path, w.Body.String())
	return statements, w.Body.String()
}

// askSettled counts the statements of a page when what is cached is cached: the
// caches last for seconds, so that one may just have ended.
func askSettled(t *testing.T, r running, c *http.Client, path string) *store.Statements {
	t.Helper()
	least, _ := ask(t, r, c, path)
	for range 2 {
		if again, _ := ask(t, r, c, path); again.Count() < least.Count() {
			least = again
		}
	}
	return least
}

// No page asks the database once for each row that it shows.
func TestPagesAskTheSameOfFewAndOfMany(t *testing.T) {
	r, c, ctx := start(t), browser(t), t.Context()
	r.signIn(t, c, "night-watch")
	for _, name := range []string{"Pier", "Quay"} {
		_, err := r.Store.Places.Save(ctx, domain.Place{Name: name, Kind: domain.Site})
		require.NoError(t, err)
	}
	pages := []string{
		"/", "/devices", "/devices?health=warning", "/devices/1", "/devices/1?part=1", "/devices/1/values",
		"/devices/1/values?show=side", "/series/1", "/chart?series=1", "/find", "/find/new",
		"/collect", "/collect/values", "/collect/values?sort=-value", "/judge", "/judge/rules/1", "/judge/transitions",
		"/judge/transitions?devices=1", "/incidents", "/incidents?state=all&sort=device",
		"/incidents/1", "/respond/deliveries", "/respond/plans", "/run", "/run/storage", "/run/storage?by=device",
		"/run/storage?by=reading", "/run/channels",
		"/search?q=sw-", "/why/device/1", "/why/series/1", "/why/incident/1",
		"/api/v1/devices", "/api/v1/devices/1/readings", "/api/v1/devices/1/parts", "/api/v1/incidents", "/api/v1/incidents/1",
		"/api/v1/rules", "/api/v1/kits", "/api/v1/transitions",
	}
	grow(t, r, 0, 2, 3)
	few := map[string]int{}
	for _, path := range pages {
		statements := askSettled(t, r, c, path)
		few[path] = statements.Count()
		assert.Less(t, few[path], 30, "%s: %s", path, strings.Join(statements.SQL, "\n"))
	}
	grow(t, r, 2, 60, 12)
	for _, path := range pages {
		statements := askSettled(t, r, c, path)
		assert.LessOrEqual(
			t,
			statements.Count(),
			few[path]+1,
			"%s asks more of 60 devices than of 2:\n%s",
			path,
			strings.Join(statements.SQL, "\n"),
		)
	}
}

// A device with 10,000 ports: the page shows some, and all can be found.
func TestAPageOfADeviceWithTenThousandPartsStaysSmall(t *testing.T) {
	r, c := start(t), browser(t)
	r.signIn(t, c, "night-watch")
	_, err := r.Store.Places.Save(t.Context(), domain.Place{Name: "Pier", Kind: domain.Site})
	require.NoError(t, err)
	grow(t, r, 0, 1, 10_000)
	start := time.Now()
	statements, body := ask(t, r, c, "/devices/1")
	t.Logf("%d kB with %d statements in %s", len(body)/1000, statements.Count(), time.Since(start))
	assert.Less(t, len(body), 500_000)
	assert.Contains(t, body, "10,000")
	assert.Contains(t, body, "port1<", "those in trouble come first")
	_, body = ask(t, r, c, "/devices/1?kind=interface&q=port9999")
	assert.Contains(t, body, "port9999")
	for _, path := range []string{"/devices/1/values", "/devices/1?part=9000", "/collect/values?q=sw-0", "/"} {
		_, body := ask(t, r, c, path)
		assert.Less(t, len(body), 500_000, path)
	}
}
