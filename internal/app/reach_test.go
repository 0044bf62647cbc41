package app

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/url"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
)

// things are what the ids in routes are of, by what stands before them: each belongs to a
// place, or to a person.
func (h held) things(part domain.ID) map[string]domain.ID {
	return map[string]domain.ID{
		"devices":         h.device,
		"devices/removed": h.removed,
		"parts":           part,
		"incidents":       h.incident,
		"alerts":          h.alert,
		"tokens":          h.token,
		"deliveries":      h.delivery,
		"series":          h.series,
		"places":          h.place,
		"sweeps":          h.sweep,
		"people":          h.user,
		"teams":           h.team,
		"credentials":     h.credential,
		"rules":           h.rule,
		"audit":           h.entry,
		"me/tokens":       h.token,
		"me/signins":      h.signIn,
		"me/browsers":     h.browser,
		"me/passkeys":     h.passkey,
	}
}

// ofAll are what belongs to the whole tree, or to nobody: who may is in the table of routes.
var ofAll = []string{"calendars", "changes", "change-sets", "fitting", "fitting-rules", "plans", "channels", "drill", "kits", "keep",
	"schemas", "welcome", "modules"}

// addressed is a route with the ids of things in it.
type addressed struct{ method, path string }

// addresses are the paths that a route has for a thing, several where it takes several
// kinds of things; none where what it names belongs to the whole tree.
func addresses(t *testing.T, route string, h held, things map[string]domain.ID) (out []addressed) {
	t.Helper()
	method, path, _ := strings.Cut(route, " ")
	if strings.HasPrefix(path, "/why/") {
		for _, x := range []struct {
			kind string
			id   domain.ID
		}{
			{"device", h.device},
			{"transition", h.transition},
			{"alert", h.alert},
			{"event", h.event},
			{"incident", h.incident},
			{"series", h.series},
			{"delivery", h.delivery},
			{"find", h.find},
		} {
			out = append(out, addressed{method, fmt.Sprintf("/why/%s/%d", x.kind, x.id)})
		}
		return out
	}
	before, _, _ := strings.Cut(path, "/{")
	parts := strings.Split(strings.Trim(before, "/"), "/")
	last := parts[len(parts)-1]
	if slices.Contains(ofAll, last) {
		return nil
	}
	two := strings.Join(parts[max(0, len(parts)-2):], "/")
	id, ok := things[two]
	if !ok {
		id, ok = things[last]
	}
	if !assert.True(t, ok, "%s: whose is what it names? It belongs into things, or ofAll", route) {
		return nil
	}
	named := strings.NewReplacer(
		"{id}", fmt.Sprint(id),
		"{way}", "snmp",
		"{kit}", "interfaces",
		"{key}", "stretch",
		"{find}", fmt.Sprint(h.find),
	)
	return []addressed{{method, named.Replace(path)}}
}

// answer asks as somebody, with a form that says nothing.
func (h *hall) answer(t *testing.T, a addressed, name string) (int, string) {
	t.Helper()
	body, kind := url.Values{}.Encode(), "application/x-www-form-urlencoded"
	if strings.HasPrefix(a.path, "/api/") {
		body, kind = "{}", "application/json"
	}
	req := httptest.NewRequestWithContext(t.Context(), a.method, a.path, strings.NewReader(body))
	req.Host = "localhost"
	req.Header.Set("Content-Type", kind)
	if strings.HasPrefix(a.path, "/api/") {
		req.Header.Set("Authorization", "Bearer "+h.tokens[name])
	} else {
		req.AddCookie(h.cookies[name])
	}
	w := httptest.NewRecorder()
	h.server.Handler.ServeHTTP(w, req)
	return w.Code, w.Body.String()
}

// To an administrator of another organisation, and to one whose team may everything with
// what carries a tag that nothing here carries, every route answers of a thing as it does of
// one that is not there, and nothing changes. The own administrator is heard.
func TestEveryRouteKeepsToItsPlaces(t *testing.T) {
	r, _, mine, theirs := twoOrganisations(t)
	h := &hall{r, map[string]*http.Cookie{}, map[string]string{}}
	outside := []string{"elsewhere", "by-a-tag"}
	h.enter(t, outside[0], domain.Grant{PlaceID: theirs.place, Level: domain.AccessAdminister})
	h.enter(t, outside[1], domain.Grant{PlaceID: mine.place, Level: domain.AccessAdminister, Tag: "no such"},
		domain.Grant{PlaceID: theirs.place, Level: domain.AccessAdminister})
	h.enter(t, "inside", domain.Grant{PlaceID: mine.place, Level: domain.AccessAdminister})
	parts, err := r.Store.Parts.Of(t.Context(), mine.device)
	require.NoError(t, err)
	const none = 987654321
	nothing := held{none, none, none, none, none, none, none, none, none, none, none, none, none, none, none, none, none, none, none, none,
		none, none}
	for name := range h.tokens {
		h.answer(t, addressed{http.MethodGet, "/api/v1/places"}, name) // it is noted now that the token is used
	}
	before, asked := snapshot(t, r.Store), 0
	for _, route := range r.served(t) {
		if !strings.Contains(route, "{") {
			continue
		}
		there := addresses(t, route, mine, mine.things(parts[0].ID))
		absent := addresses(t, route, nothing, nothing.things(none))
		for i, a := range there {
			asked++
			for _, name := range outside {
				code, body := h.answer(t, a, name)
				gone, _ := h.answer(t, absent[i], name)
				assert.Equal(t, gone, code, "%s %s for %s", a.method, a.path, name)
				assert.GreaterOrEqual(t, code, 300, "%s %s for %s", a.method, a.path, name)
				assert.NotContains(t, body, secretive, "%s %s for %s", a.method, a.path, name)
			}
			if a.method == http.MethodGet {
				code, _ := h.answer(t, a, "inside")
				assert.NotContains(t, []int{401, 403, 404}, code, "%s %s from inside", a.method, a.path)
			}
		}
	}
	assert.Greater(t, asked, 80)
	assert.Equal(t, before, snapshot(t, r.Store), "somebody from outside changed something")
}
