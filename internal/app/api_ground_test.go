package app

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/netip"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/api"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/people"
	"tirelessowl/internal/testkit"
)

// told is what an answer of the API says of a problem.
type told struct {
	Title, Detail string
	Status        int
	Errors        []struct {
		Location, Message string
		Value             any
	}
}

// raw sends bytes to the API and returns the answer with its body.
func (r running) raw(t *testing.T, method, path, kind, body string) (*http.Response, string) {
	t.Helper()
	req, err := http.NewRequestWithContext(t.Context(), method, r.url+path, strings.NewReader(body))
	require.NoError(t, err)
	req.Header.Set("Authorization", "Bearer "+r.token)
	if kind != "" {
		req.Header.Set("Content-Type", kind)
	}
	res, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	defer res.Body.Close()
	text, err := io.ReadAll(res.Body)
	require.NoError(t, err)
	return res, string(text)
}

// Whatever is wrong is told as a problem of RFC 9457, where it is, and without what was sent.
func TestTheAPITellsProblemsAlike(t *testing.T) {
	r := start(t)
	const kind = "application/json"
	strange := `{"name": "Everybody", "member_ids": [99], "grants": []}`
	large := `{"name": "` + strings.Repeat("x", 1<<19) + `"}`
	for name, c := range map[string]struct {
		method, path, kind, body string
		status                   int
		at                       string // the location of an error
	}{
		"no such path":             {"GET", "/api/v1/moons", "", "", 404, ""},
		"no such path at all":      {"GET", "/api/moons", "", "", 404, ""},
		"no such method":           {"DELETE", "/api/v1/places", "", "", 405, ""},
		"unknown parameter":        {"GET", "/api/v1/places?colour=red", "", "", 422, "query.colour"},
		"parameter of none":        {"GET", "/api/v1/me?colour=red", "", "", 422, "query.colour"},
		"parameter twice":          {"GET", "/api/v1/places?q=a&q=b", "", "", 422, "query.q"},
		"unknown order":            {"GET", "/api/v1/devices?sort=colour", "", "", 422, "query.sort"},
		"unknown field":            {"GET", "/api/v1/devices?fields=name,colour", "", "", 422, "query.fields"},
		"no cursor":                {"GET", "/api/v1/devices?after=nonsense", "", "", 422, "query.after"},
		"a cursor of another list": {"GET", "/api/v1/devices?after=eyJzIjoieCJ9", "", "", 422, "query.after"},
		"a cursor of no time":      {"GET", "/api/v1/alerts?after=eyJzIjoiLW9wZW5lZCIsImsiOiJ4IiwiaSI6MX0", "", "", 422, "query.after"},
		"NUL in the query":         {"GET", "/api/v1/devices?q=a%00b", "", "", 422, "query.q"},
		"no UTF-8 in the query":    {"GET", "/api/v1/devices?q=%ff", "", "", 422, "query.q"},
		"NUL in the path":          {"GET", "/api/v1/kits/a%00b", "", "", 422, "path"},
		"broken query":             {"GET", "/api/v1/devices?q=%zz", "", "", 422, "query"},
		"escaped NUL in a text":    {"POST", "/api/v1/places", kind, `{"name": "a\u0000b", "kind": "organisation"}`, 422, ""},
		"NUL in the body":          {"POST", "/api/v1/places", kind, "{\"name\": \"a\x00b\", \"kind\": \"organisation\"}", 422, ""},
		"no UTF-8 in the body":     {"POST", "/api/v1/places", kind, "{\"name\": \"a\xffb\", \"kind\": \"organisation\"}", 422, ""},
		"NUL in samples":           {"POST", "/api/v1/samples/import", "", `{"device": "a\u0000b"}`, 422, ""},
		"no JSON":                  {"POST", "/api/v1/places", kind, `{"name": secret-word`, 400, "body"},
		"no body":                  {"POST", "/api/v1/places", kind, "", 400, ""},
		"another kind of body":     {"POST", "/api/v1/places", "text/html", "secret-word", 415, "body"},
		"too much":                 {"POST", "/api/v1/places", kind, large, 413, ""},
		"unknown member":           {"POST", "/api/v1/places", kind, `{"name": "a", "kind": "site", "x": "secret-word"}`, 422, "body.x"},
		"a secret of a wrong kind": {"PUT", "/api/v1/people/1/password", kind, `{"password": ["secret-word"]}`, 422, "body.password"},
		"a weak secret":            {"PUT", "/api/v1/people/1/password", kind, `{"password": "secret-word-ines"}`, 0, ""},
		"an id that is none":       {"GET", "/api/v1/devices/0", "", "", 422, "path.id"},
		"a member who is none":     {"POST", "/api/v1/teams", kind, strange, 422, "body.member_ids"},
		"a patch that is none":     {"PATCH", "/api/v1/rules/1", "application/merge-patch+json", `[]`, 422, "body"},
		"a patch of what is fixed": {"PATCH", "/api/v1/rules/1", "application/merge-patch+json", `{"words": "mine"}`, 422, "body.words"},
	} {
		t.Run(name, func(t *testing.T) {
			res, body := r.raw(t, c.method, c.path, c.kind, c.body)
			if c.status == 0 {
				assert.NotContains(t, body, "secret-word")
				return
			}
			require.Equal(t, c.status, res.StatusCode, body)
			assert.Equal(t, "application/problem+json", res.Header.Get("Content-Type"))
			var p told
			require.NoError(t, json.Unmarshal([]byte(body), &p), body)
			assert.Equal(t, c.status, p.Status)
			assert.NotEmpty(t, p.Title)
			assert.NotEmpty(t, p.Detail)
			assert.NotContains(t, body, "SQLSTATE")
			assert.NotContains(t, body, "secret-word")
			if c.at == "" {
				return
			}
			var at []string
			for _, e := range p.Errors {
				at = append(at, e.Location)
			}
			assert.Contains(t, at, c.at)
		})
	}
	res, _ := r.raw(t, "DELETE", "/api/v1/places", "", "")
	assert.Equal(t, "GET, HEAD, POST", res.Header.Get("Allow"))
	res, body := r.raw(t, "HEAD", "/api/v1/places", "", "")
	assert.Equal(t, 200, res.StatusCode)
	assert.Empty(t, body)
	assert.Equal(t, "application/json", res.Header.Get("Content-Type"))
}

func (r running) organisation(t *testing.T) domain.ID {
	t.Helper()
	p, err := r.Store.Places.Save(t.Context(), domain.Place{Name: "Kittiwake Line", Kind: domain.Organisation})
	require.NoError(t, err)
	return p.ID
}

func (r running) device(t *testing.T, place domain.ID, name string) domain.Device {
	t.Helper()
	d := domain.Device{PlaceID: place, Name: name, Address: netip.MustParseAddr("192.0.2.1"), CreatedAt: time.Now()}
	d, err := r.Store.Devices.Add(t.Context(), d, "", nil)
	require.NoError(t, err)
	return d
}

// The pages of a list hold each row once, while rows are added and taken away.
func TestPagesNeitherSkipNorRepeat(t *testing.T) {
	r := start(t)
	at := r.organisation(t)
	name := func(n int) string { return fmt.Sprintf("fleet-%05d", n) }
	add := func(from, to int) {
		for n := from; n < to; n++ {
			r.device(t, at, name(n))
		}
	}
	add(1000, 1400)
	for _, sort := range []string{"name", "-name", "id", "-id", "created", "-since"} {
		seen, after, pages := map[string]int{}, "", 0
		for {
			var page api.Items[api.Device]
			ask := url.Values{"limit": {"60"}, "sort": {sort}, "fields": {"name"}}
			if after != "" {
				ask.Set("after", after)
			}
			require.Equal(t, 200, r.call(t, "GET", "/devices?"+ask.Encode(), nil, &page), sort)
			for _, d := range page.Items {
				assert.Zero(t, d.ID, "only what was asked for")
				seen[d.Name]++
			}
			if pages++; page.Next == nil {
				break
			}
			require.Len(t, page.Items, 60)
			after = *page.Next
			n := 2000 + len(seen) + pages*1000 + len(sort)*100_000
			add(n, n+1) // one that comes meanwhile: it may be in a page to come or not
		}
		for n := 1000; n < 1400; n++ {
			assert.Equal(t, 1, seen[name(n)], "%s by %s", name(n), sort)
		}
		assert.GreaterOrEqual(t, pages, 7)
	}
	var all api.Items[api.Device]
	require.Equal(t, 200, r.call(t, "GET", "/devices?q=fleet-013&limit=3", nil, &all))
	assert.Equal(t, api.Total{Count: 100}, all.Total)
}

// Up to 10,000 is counted; then it says that there are more.
func TestTotalsSayMoreThan(t *testing.T) {
	r := start(t)
	d := r.device(t, r.organisation(t), "gr-sw-1")
	changes := make([]domain.Transition, domain.MostCounted+1)
	for i := range changes {
		changes[i] = domain.Transition{DeviceID: d.ID, From: domain.Fine, To: domain.Warning, At: time.Now()}
	}
	require.NoError(t, r.Store.Transitions.Add(t.Context(), changes[:domain.MostCounted]))
	total := func() (page api.Items[api.Transition]) {
		require.Equal(t, 200, r.call(t, "GET", "/transitions?limit=1", nil, &page))
		return page
	}
	assert.Equal(t, api.Total{Count: domain.MostCounted}, total().Total)
	require.NoError(t, r.Store.Transitions.Add(t.Context(), changes[domain.MostCounted:]))
	assert.Equal(t, api.Total{Count: domain.MostCounted, More: true}, total().Total)
	// All of one moment: the id decides, so that each comes once.
	seen, path := map[int64]bool{}, "/transitions?limit=1000&fields=id"
	for after := ""; ; {
		var page api.Items[api.Transition]
		require.Equal(t, 200, r.call(t, "GET", path+after, nil, &page))
		for _, x := range page.Items {
			seen[x.ID] = true
		}
		if page.Next == nil {
			break
		}
		after = "&after=" + *page.Next
	}
	assert.Len(t, seen, domain.MostCounted+1)
}

// What is made, changed in part, and taken away again: each sort of thing in the same way.
func TestThingsAreMadeChangedAndTakenAway(t *testing.T) {
	r := start(t)
	var root api.Place
	require.Equal(t, 201, r.call(t, "POST", "/places", map[string]any{"name": "Kittiwake Line", "kind": "organisation"}, &root))
	for name, c := range map[string]struct {
		path         string
		made, change map[string]any
	}{
		"place":  {"/places", map[string]any{"name": "Quay", "kind": "site", "parent_id": root.ID}, map[string]any{"name": "Old quay"}},
		"team":   {"/teams", map[string]any{"name": "Night", "member_ids": []int{}, "grants": []any{}}, map[string]any{"name": "Day"}},
		"person": {"/people", map[string]any{"name": "runa", "place_id": root.ID}, map[string]any{"display": "Runa", "place_id": nil}},
	} {
		t.Run(name, func(t *testing.T) {
			text, err := json.Marshal(c.made)
			require.NoError(t, err)
			res, body := r.raw(t, "POST", "/api/v1"+c.path, "application/json", string(text))
			require.Equal(t, 201, res.StatusCode, body)
			at := strings.TrimPrefix(res.Header.Get("Location"), "/api/v1")
			var was map[string]any
			require.Equal(t, 200, r.call(t, "GET", at, nil, &was))
			assert.JSONEq(t, body, string(must(json.Marshal(was))))
			first := res.Header.Get("ETag")
			assert.NotEmpty(t, first)
			changed := r.send(t, "PATCH", at, first, c.change)
			require.Equal(t, 200, changed.StatusCode)
			assert.Equal(t, 412, r.send(t, "PATCH", at, first, c.change).StatusCode, "of two the second is told")
			assert.Equal(t, 412, r.send(t, "DELETE", at, first, nil).StatusCode)
			var now map[string]any
			require.Equal(t, 200, r.call(t, "GET", at, nil, &now))
			for field, value := range was {
				if given, ok := c.change[field]; ok {
					assert.EqualValues(t, fmt.Sprint(given), fmt.Sprint(now[field]), field)
				} else if field != "version" {
					assert.Equal(t, value, now[field], field)
				}
			}
			assert.Equal(t, 200, r.send(t, "PUT", at, changed.Header.Get("ETag"), now).StatusCode, "what one gets can be sent back")
			assert.Equal(t, 204, r.send(t, "DELETE", at, "", nil).StatusCode)
			assert.Equal(t, 404, r.call(t, "GET", at, nil, nil))
		})
	}
}

func must(text []byte, err error) []byte {
	if err != nil {
		panic(err)
	}
	return bytes.TrimSpace(text)
}

// Whether a thing is still the one that was seen is asked where it is removed, so that nobody
// is faster.
func TestWhatSomebodyChangedIsNotRemoved(t *testing.T) {
	r := start(t)
	ctx, any := t.Context(), testkit.Anyone
	p, err := r.Places.Save(ctx, any, domain.Place{Name: "Kittiwake Line", Kind: domain.Organisation})
	require.NoError(t, err)
	d := r.device(t, p.ID, "gr-sw-1")
	team, err := r.People.SaveTeam(ctx, any, domain.Team{Name: "Night"})
	require.NoError(t, err)
	u, err := r.People.Add(ctx, any, people.Draft{Name: "runa"})
	require.NoError(t, err)
	assert.ErrorIs(t, r.Devices.Remove(ctx, any, d.ID, d.Version+1), domain.ErrChanged)
	assert.ErrorIs(t, r.Places.Remove(ctx, any, p.ID, p.Version+1), domain.ErrChanged)
	assert.ErrorIs(t, r.People.RemoveTeam(ctx, any, team.ID, team.Version+1), domain.ErrChanged)
	assert.ErrorIs(t, r.People.Remove(ctx, any, u.ID, u.Version+1), domain.ErrChanged)
	assert.NoError(t, r.Devices.Remove(ctx, any, d.ID, d.Version))
	assert.NoError(t, r.People.RemoveTeam(ctx, any, team.ID, team.Version))
	assert.NoError(t, r.People.Remove(ctx, any, u.ID, u.Version))
}

// The API says null for what is not there, and words for levels.
func TestTheAPISaysNullAndWords(t *testing.T) {
	r, _ := world(t)
	for _, path := range []string{
		"/devices", "/places", "/incidents", "/alerts", "/transitions", "/deliveries", "/tickets", "/sweeps", "/plans",
		"/channels",
		"/people", "/teams", "/tokens", "/values", "/rules", "/kits", "/credentials", "/attributes", "/overrides",
		"/audit?fields=actor_id,thing_id,place_id,changes", // before and after are as they were kept
	} {
		res, body := r.raw(t, "GET", "/api/v1"+path, "", "")
		require.Equal(t, 200, res.StatusCode, path+": "+body)
		assert.NotContains(t, body, "0001-01-01", path)
		assert.NotRegexp(t, `"[a-z_]*_id":0[,}]`, body, path)
		assert.NotRegexp(t, `"(level|worst|at_least)":\d`, body, path)
		assert.NotRegexp(t, `"[A-Z]\w*":`, body, path+": members begin with small letters")
	}
}
