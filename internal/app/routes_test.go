package app

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/go-chi/chi/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/people"
	"tirelessowl/internal/testkit"
)

// entry is what the table says of a route: for "anyone" no session is needed, for
// "signed-in" any, else that level of that area somewhere.
type entry struct{ route, area, level string }

// table reads the table of routes: what a new route needs is decided there, and only
// then in its screen.
func table(t *testing.T) map[string]entry {
	t.Helper()
	text, err := os.ReadFile("testdata/routes.txt")
	require.NoError(t, err)
	out := map[string]entry{}
	for line := range strings.Lines(string(text)) {
		fields := strings.Fields(line)
		if len(fields) == 0 || fields[0] == "#" {
			continue
		}
		require.Contains(t, []int{3, 4}, len(fields), line)
		e := entry{route: fields[0] + " " + fields[1], area: fields[2]}
		if len(fields) == 4 {
			e.level = fields[3]
		}
		out[e.route] = e
	}
	return out
}

// served are all routes of the screens and of the API, as they are mounted.
func (r running) served(t *testing.T) (out []string) {
	t.Helper()
	walk := func(method, route string, _ http.Handler, _ ...func(http.Handler) http.Handler) error {
		if route != "/*" && !strings.HasSuffix(route, "/static/*") {
			out = append(out, method+" "+strings.ReplaceAll(route, "/*/", "/"))
		}
		return nil
	}
	require.NoError(t, chi.Walk(r.server.Handler.(chi.Routes), walk))
	require.Greater(t, len(out), 100)
	slices.Sort(out)
	return slices.Compact(out)
}

// sessionOf is the cookie of the session in an answer.
func sessionOf(res *http.Response) *http.Cookie {
	for _, c := range res.Cookies() {
		if c.Name == "owl" {
			return c
		}
	}
	return nil
}

// hall are people of every level of every area, each signed in, and their tokens.
type hall struct {
	running
	cookies map[string]*http.Cookie
	tokens  map[string]string
}

// enter makes somebody with the grants given and signs him in.
func (h *hall) enter(t *testing.T, name string, grants ...domain.Grant) domain.User {
	t.Helper()
	team, err := h.People.SaveTeam(t.Context(), testkit.Anyone, domain.Team{Name: name, Grants: grants})
	require.NoError(t, err)
	u, err := h.People.Add(t.Context(), testkit.Anyone, people.Draft{Name: name, Teams: []domain.ID{team.ID}, Secret: "night-watch"})
	require.NoError(t, err)
	who, err := h.People.Actor(t.Context(), u.ID, "")
	require.NoError(t, err)
	own := domain.Token{Name: name, Grant: domain.Grant{Level: domain.AccessAdminister}}
	_, key, err := h.People.MakeToken(t.Context(), who, own)
	require.NoError(t, err)
	h.tokens[name] = key.Reveal()
	h.signs(t, name, true)
	return u
}

// signs signs somebody in again, in a browser that is trusted or not.
func (h *hall) signs(t *testing.T, name string, trust bool) {
	t.Helper()
	form := url.Values{"name": {name}, "password": {"night-watch"}, "trust": {fmt.Sprint(trust)}}
	req := httptest.NewRequestWithContext(t.Context(), http.MethodPost, "/signin", strings.NewReader(form.Encode()))
	req.Host = "localhost"
	req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	w := httptest.NewRecorder()
	h.server.Handler.ServeHTTP(w, req)
	require.Equal(t, http.StatusSeeOther, w.Code, name)
	h.cookies[name] = sessionOf(w.Result())
}

var placeholder = regexp.MustCompile(`\{[^}]*\}`)

// ask sends a request with an empty body to a route, of things that do not exist, and
// tells how it was answered: "sign in", "refused", "broken", or "heard" for all else.
func (h *hall) ask(t *testing.T, route, name string) string {
	t.Helper()
	method, path, _ := strings.Cut(route, " ")
	req := httptest.NewRequestWithContext(t.Context(), method, placeholder.ReplaceAllString(path, "987654321"), strings.NewReader(""))
	req.Host = "localhost"
	if strings.HasPrefix(path, "/api/") {
		if key := h.tokens[name]; key != "" {
			req.Header.Set("Authorization", "Bearer "+key)
		}
	} else if c := h.cookies[name]; c != nil {
		req.AddCookie(c)
	}
	w := httptest.NewRecorder()
	h.server.Handler.ServeHTTP(w, req)
	switch {
	case w.Code == http.StatusUnauthorized, strings.HasPrefix(w.Header().Get("Location"), "/signin"):
		return "sign in"
	case w.Code == http.StatusForbidden:
		return "refused"
	case w.Code >= http.StatusInternalServerError:
		return fmt.Sprintf("broken: %d", w.Code)
	}
	return "heard"
}

// ending are the routes that end the session which asks, and that never answer.
var ending = []string{"POST /signout", "GET /events"}

func TestEveryRouteAsksWhoComes(t *testing.T) {
	r := start(t)
	h := &hall{r, map[string]*http.Cookie{}, map[string]string{}}
	h.cookies["forged"] = &http.Cookie{Name: "owl", Value: "AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA"}
	h.tokens["forged"] = "owl_AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA"
	locked := h.enter(t, "locked", domain.Grant{Level: domain.AccessAdminister})
	err := h.People.Change(t.Context(), testkit.Anyone, locked.ID, people.Draft{Name: locked.Name, Locked: true, Version: locked.Version})
	require.NoError(t, err)
	for _, area := range domain.AllAreas() {
		for _, level := range domain.AllAccess() {
			h.enter(t, fmt.Sprint(area, "-", level), domain.Grant{Level: level, Areas: []domain.Area{area}})
		}
		others := slices.DeleteFunc(slices.Clone(domain.AllAreas()), func(a domain.Area) bool { return a == area })
		h.enter(t, fmt.Sprint("not-", area), domain.Grant{Level: domain.AccessAdminister, Areas: others})
	}
	h.enter(t, "tablet", domain.Grant{Level: domain.AccessAdminister})
	h.signs(t, "tablet", false)
	h.audience(t)
}

// anywhere are the changes that are made in a browser that is not trusted, too.
var anywhere = []string{"POST /me/trust", "POST /me/trust/passkey", "POST /me/trust/passkey/begin"}

// untrusted tells whether a route hears an administrator whose browser is not trusted: it
// may be looked at everywhere, and nothing else.
func (e entry) untrusted() bool {
	if e.level == "" {
		return e.area == "anyone" || strings.HasPrefix(e.route, "GET ") || slices.Contains(anywhere, e.route)
	}
	return e.level == string(domain.AccessSee)
}

// audience sends everybody to every route, and compares with the table.
func (h *hall) audience(t *testing.T) {
	t.Helper()
	want, served := table(t), h.served(t)
	for route := range want {
		assert.Contains(t, served, route, "the table tells of a route that is not served")
	}
	for _, route := range served {
		e, ok := want[route]
		if !assert.True(t, ok, "%s has no entry in testdata/routes.txt: who may use it?", route) || slices.Contains(ending, route) {
			continue
		}
		for _, name := range []string{"nobody", "forged", "locked"} {
			if e.area == "anyone" {
				assert.Equal(t, "heard", h.ask(t, route, name), "%s for %s", route, name)
				continue
			}
			assert.Equal(t, "sign in", h.ask(t, route, name), "%s for %s", route, name)
		}
		for _, area := range domain.AllAreas() {
			for _, level := range domain.AllAccess() {
				h.expect(t, e, fmt.Sprint(area, "-", level), e.allows(area, level))
			}
		}
		if e.level != "" {
			h.expect(t, e, "not-"+e.area, false)
		}
		if !strings.Contains(route, " /api/") {
			h.expect(t, e, "tablet", e.untrusted())
		}
	}
}

// allows tells whether a level in an area is enough.
func (e entry) allows(area domain.Area, level domain.Access) bool {
	return e.level == "" || e.area == string(area) && level.Allows(domain.Access(e.level))
}

func (h *hall) expect(t *testing.T, e entry, name string, allowed bool) {
	t.Helper()
	want := "refused"
	if allowed {
		want = "heard"
	}
	assert.Equal(t, want, h.ask(t, e.route, name), "%s for %s", e.route, name)
}
