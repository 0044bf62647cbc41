package app

import (
	"fmt"
	"net/http"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/rule/limit"
	"tirelessowl/internal/demo"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/respond"
	"tirelessowl/internal/sim"
	"tirelessowl/internal/testkit"
)

// world is an application with the demo world and a short past, in which
// the stories of the demo's opening are going on.
func world(t *testing.T) (running, *demo.Client) {
	t.Helper()
	r := build(t)
	host, port := sim.MailHost(r.base)
	client := &demo.Client{URL: sim.ControlURL(r.base)}
	at := StandIns{
		Control:   client.URL,
		DeskURL:   sim.DeskURL(r.base),
		MailURL:   sim.MailURL(r.base),
		MailHost:  host,
		MailPort:  port,
		Community: "c",
		DeskToken: "d",
		SignIn:    demo.SignIn{User: lookout, Password: watchword},
	}
	past := Past{All: 90 * time.Minute, Fine: 40 * time.Minute, Judged: 90 * time.Minute}
	require.NoError(t, r.LoadDemo(t.Context(), client, at, past, func(string) {}))
	r.run(t, &Demo{Client: client, DeskURL: at.DeskURL, MailURL: at.MailURL})
	return r, client
}

var (
	linked = regexp.MustCompile(`(?:href|hx-get|data-chart)="(/[^"#]*)"`)
	id     = regexp.MustCompile(` id="([^"]+)"`)
	posts  = regexp.MustCompile(`<form[^>]*hx-post="([^"]+)"[^>]*>`)
)

// shape is an address without its numbers and search, so that a walk over
// all links opens some pages of each kind and not all of them.
func shape(address string) string {
	path, query, _ := strings.Cut(address, "?")
	path = regexp.MustCompile(`\d+`).ReplaceAllString(path, "N")
	var keys []string
	values, _ := url.ParseQuery(query)
	for k := range values {
		keys = append(keys, k)
	}
	slices.Sort(keys)
	return path + "?" + strings.Join(keys, "&")
}

// Every link of every kind of page must lead somewhere, and no page may show
// the traces of a template that went wrong.
func TestEveryLinkLeadsSomewhere(t *testing.T) {
	r, _ := world(t)
	c := browser(t)
	r.signIn(t, c, demo.Password)
	seen, kinds := crawl(t, r, c, func(address, body string) {
		for _, wrong := range []string{"<no value>", "%!", "ZgotmplZ", "0001-01-01", "NaN", "+Inf"} {
			assert.NotContains(t, body, wrong, address)
		}
		ids := map[string]bool{}
		for _, m := range id.FindAllStringSubmatch(body, -1) {
			assert.False(t, ids[m[1]], "id %s stands twice in %s", m[1], address)
			ids[m[1]] = true
		}
	})
	assert.Greater(t, kinds, 30, "kinds of page")
	t.Logf("%d pages of %d kinds", seen, kinds)
}

// crawl opens pages of every kind that links lead to, and hands over each.
func crawl(t *testing.T, r running, c *http.Client, each func(address, body string)) (pages, kinds int) {
	t.Helper()
	seen, count := map[string]bool{}, map[string]int{}
	queue := []string{
		"/",
		"/respond/deliveries",
		"/judge/transitions",
		"/search?q=switch",
		"/incidents?state=all&page=1",
		"/collect/values?sort=-value",
	}
	for len(queue) > 0 {
		address := strings.ReplaceAll(queue[0], "&amp;", "&")
		queue = queue[1:]
		if seen[address] || count[shape(address)] >= 3 || strings.HasPrefix(address, "/static/") {
			continue
		}
		seen[address] = true
		count[shape(address)]++
		status, body, header := get(t, c, r.url+address)
		assert.Equal(t, 200, status, address)
		if !strings.HasPrefix(header.Get("Content-Type"), "text/html") {
			continue
		}
		each(address, body)
		for _, m := range linked.FindAllStringSubmatch(body, -1) {
			queue = append(queue, m[1])
		}
	}
	return len(seen), len(count)
}

// Whoever may only look gets no form that writes, and is refused when trying.
func TestAuditorsSeeAndChangeNothing(t *testing.T) {
	r, _ := world(t)
	c := browser(t)
	res, err := c.PostForm(r.url+"/signin", url.Values{"name": {"auditor"}, "password": {demo.Password}, "trust": {"true"}})
	require.NoError(t, err)
	res.Body.Close()
	in := r.incident(t)
	for _, path := range []string{
		"/", "/devices/1", "/find", "/collect", "/judge/rules/1", fmt.Sprintf("/incidents/%d", in.ID), "/respond/deliveries",
		"/respond/plans", "/run/channels", "/run/drill",
	} {
		status, body, _ := get(t, c, r.url+path)
		assert.Equal(t, 200, status, path)
		assert.Empty(t, posts.FindAllString(body, -1), path)
	}
	for _, path := range []string{
		"/find/new", "/devices/1/pause", "/devices/1/where", "/devices/1/delete", "/devices/removed/1/restore",
		"/devices/removed/1/forget", "/devices/1/collect", "/judge/rules/1", fmt.Sprintf("/incidents/%d/resolve", in.ID),
		"/respond/plans/1", "/run/channels/1", "/run/drill",
	} {
		status, body := post(t, c, r.url+path, url.Values{"text": {"x"}})
		assert.Equal(t, 403, status, path)
		assert.Contains(t, body, "level of access", path)
	}
	_, err = r.Store.Devices.One(t.Context(), 1)
	assert.NoError(t, err)
}

// incident returns the newest one that is open.
func (r running) incident(t *testing.T) domain.Incident {
	t.Helper()
	list, _, err := r.Store.Incidents.Find(
		t.Context(),
		domain.IncidentFilter{States: []domain.IncidentState{domain.IncidentOpen}, Limit: 1},
	)
	require.NoError(t, err)
	require.NotEmpty(t, list, "the demo opens with something going on")
	return list[0]
}

func TestIncidentIsWorkedOn(t *testing.T) {
	r, _ := world(t)
	c := browser(t)
	r.signIn(t, c, demo.Password)
	in := r.incident(t)
	path := fmt.Sprintf("%s/incidents/%d", r.url, in.ID)
	_, body, _ := get(t, c, path)
	assert.Contains(t, body, in.Title)

	status, body := post(t, c, path+"/acknowledge", nil)
	assert.Equal(t, 200, status)
	assert.Contains(t, body, "Ines")
	status, _ = post(t, c, path+"/acknowledge", nil)
	assert.Equal(t, 200, status, "twice does no harm")
	status, body = post(t, c, path+"/comment", url.Values{"text": {"   "}})
	assert.Equal(t, 422, status)
	assert.Contains(t, body, `role="alert"`)
	status, body = post(t, c, path+"/comment", url.Values{"text": {strings.Repeat("long ", 4000)}})
	assert.Equal(t, 422, status)
	assert.Contains(t, body, "long long", "nothing typed is lost")
	status, body = post(t, c, path+"/comment", url.Values{"text": {"<b>called</b> the “harbour” ⚓"}})
	assert.Equal(t, 200, status)
	assert.Contains(t, body, "&lt;b&gt;called&lt;/b&gt; the “harbour” ⚓")
	status, _ = post(t, c, path+"/resolve", url.Values{"text": {"exchanged the card"}})
	assert.Equal(t, 200, status)
	status, body = post(t, c, path+"/resolve", url.Values{"text": {"again"}})
	assert.Equal(t, 200, status)
	assert.Contains(t, body, "again", "what was typed stays")
	after, err := r.Respond.Incident(t.Context(), testkit.Anyone, in.ID)
	require.NoError(t, err)
	assert.Equal(t, domain.IncidentResolved, after.State)
	assert.Equal(t, "Ines", after.ResolvedBy)
	var kinds []domain.EventKind
	for _, e := range after.Events {
		kinds = append(kinds, e.Kind)
	}
	for _, want := range []domain.EventKind{domain.EventAlert, domain.EventAcknowledged, domain.EventComment, domain.EventResolved} {
		assert.Contains(t, kinds, want)
	}
	status, _ = post(t, c, r.url+"/incidents/99999/comment", url.Values{"text": {"x"}})
	assert.Equal(t, 404, status)
}

func TestWhyOfEveryKind(t *testing.T) {
	r, _ := world(t)
	c := browser(t)
	r.signIn(t, c, demo.Password)
	in, err := r.Respond.Incident(t.Context(), testkit.Anyone, r.incident(t).ID)
	require.NoError(t, err)
	require.NotEmpty(t, in.Alerts)
	event := in.Events[slices.IndexFunc(in.Events, func(e domain.Event) bool { return len(e.Why.Facts) > 0 })]
	for path, want := range map[string]string{
		fmt.Sprintf("device/%d", in.DeviceID):             "Why",
		fmt.Sprintf("alert/%d", in.Alerts[0].ID):          "in a row",
		fmt.Sprintf("incident/%d", in.ID):                 "One incident or several?",
		fmt.Sprintf("event/%d", event.ID):                 "chain",
		fmt.Sprintf("series/%d", in.Alerts[0].SeriesID):   "come from?",
		fmt.Sprintf("transition/%d", r.transition(t, in)): "chain",
	} {
		status, body, _ := get(t, c, r.url+"/why/"+path)
		assert.Equal(t, 200, status, path)
		assert.Contains(t, body, want, path)
	}
}

func (r running) transition(t *testing.T, in respond.Dossier) domain.ID {
	t.Helper()
	rows, err := r.Store.Transitions.Find(t.Context(), domain.TransitionFilter{DeviceID: in.DeviceID, Limit: 1})
	require.NoError(t, err)
	require.NotEmpty(t, rows)
	return rows[0].ID
}

func TestRuleIsRehearsedSavedAndActs(t *testing.T) {
	r, _ := world(t)
	c := browser(t)
	r.signIn(t, c, demo.Password)
	rules, err := r.Judge.Rules(t.Context(), testkit.Anyone)
	require.NoError(t, err)
	cpu := rules[slices.IndexFunc(rules, func(x rule.Rule) bool { return x.Reading == "cpu" })]
	path := fmt.Sprintf("%s/judge/rules/%d", r.url, cpu.ID)
	form := url.Values{
		"name":            {"Busy <i>"},
		"title":           {"Processor of {device} is busy"},
		"side":            {"above"},
		"for":             {"1 value"},
		"recover_for":     {"1 value"},
		"enabled":         {"on"},
		"raise_critical":  {"ninety"},
		"raise_warning":   {"0,5"},
		"recover_warning": {"0.7"},
	}
	status, body := post(t, c, path, form)
	assert.Equal(t, 422, status)
	assert.Contains(t, body, "Must be a number")
	assert.Contains(t, body, `value="ninety"`)
	assert.Contains(t, body, "Busy &lt;i&gt;")
	status, body = post(t, c, path+"/rehearse", form)
	assert.Equal(t, 200, status)
	assert.Contains(t, body, "Must be a number")

	form["raise_critical"], form["recover_warning"] = []string{""}, []string{"0.2"}
	status, body = post(t, c, path+"/rehearse", form)
	assert.Equal(t, 200, status)
	assert.Contains(t, body, "alerts with this rule")
	assert.NotContains(t, body, "3 d", "only what was tried counts: the world is 40 minutes old")
	before, err := r.Judge.Rule(t.Context(), testkit.Anyone, cpu.ID)
	require.NoError(t, err)
	assert.Equal(t, cpu.Name, before.Name, "a rehearsal changes nothing")

	status, body = post(t, c, path, form)
	assert.Equal(t, 200, status, body)
	after, err := r.Judge.Rule(t.Context(), testkit.Anyone, cpu.ID)
	require.NoError(t, err)
	limits := after.Condition.(*limit.Condition).Limits
	assert.Equal(t, 0.5, limits[domain.LevelWarning].Raise, "a decimal comma is understood")
	assert.Len(t, limits, 1)
	status, _ = post(t, c, r.url+"/judge/rules/9999", form)
	assert.Equal(t, 404, status)
}

func TestSweepIsMadeAndFindsAdoptedInTheScreens(t *testing.T) {
	r := start(t)
	c := browser(t)
	r.signIn(t, c, demo.Password)
	ranges := fmt.Sprintf("%s/24", sim.Offset(r.base, 30, 0))
	_, body := post(t, c, r.url+"/find/size", url.Values{"ranges": {ranges}, "pace": {"500"}})
	assert.Contains(t, body, "Tries 256 addresses, at most 500 requests a second")
	_, body = post(t, c, r.url+"/find/size", url.Values{"ranges": {"192.0.2.9-192.0.2.1"}})
	assert.NotContains(t, body, "Tries")
	form := url.Values{"name": {"Pier <3"}, "ranges": {"192.0.2.0/4"}, "port": {"many"}, "pace": {"-3"}, "community": {"c"}}
	status, body := post(t, c, r.url+"/find/new", form)
	assert.Equal(t, 422, status)
	assert.Equal(t, 3, strings.Count(body, `role="alert"`), "ranges, port and pace: %s", body)
	assert.Contains(t, body, "Pier &lt;3")
	assert.Contains(t, body, `value="many"`)
	sweeps, err := r.Find.Sweeps(t.Context(), testkit.Anyone)
	require.NoError(t, err)
	assert.Empty(t, sweeps, "nothing is half-made")

	form["ranges"], form["port"], form["pace"] = []string{ranges}, []string{fmt.Sprint(r.Config.DemoPort)}, nil
	res, err := c.PostForm(r.url+"/find/new", form)
	require.NoError(t, err)
	res.Body.Close()
	page := r.url + res.Header.Get("HX-Redirect")
	require.Regexp(t, `/find/sweeps/\d+$`, page)
	require.Eventually(
		t,
		func() bool { _, body, _ := get(t, c, page); return strings.Contains(body, `data-state="done"`) },
		30*time.Second,
		100*time.Millisecond,
	)
	_, body, _ = get(t, c, page+"?q=EDGE")
	assert.Contains(t, body, "sh-edge-1")
	assert.NotContains(t, body, "sh-sw-1")
	_, body, _ = get(t, c, page+"?q=nothing-like-it")
	assert.Contains(t, body, "No find fits")
	var order []string
	for _, sort := range []string{"address", "-address", "name", "kind", "model", "-parts", "location", "verdict"} {
		_, body, _ = get(t, c, page+"?sort="+sort)
		order = append(order, regexp.MustCompile(`<td class="name">([^<]+)</td>`).FindStringSubmatch(body)[1])
		assert.Contains(t, body, `aria-sort="`, sort)
	}
	assert.Equal(t, "sh-edge-1", order[0], "the lowest address")
	assert.NotEqual(t, order[0], order[1])
	assert.Equal(t, order[7], order[0], "all wait for a decision, then the address decides")

	finds, err := r.Find.Finds(t.Context(), testkit.Anyone, 1)
	require.NoError(t, err)
	chosen := url.Values{"find": {fmt.Sprint(finds[0].ID), fmt.Sprint(finds[1].ID)}}
	_, body, _ = get(t, c, page+"/offers?"+chosen.Encode())
	assert.Contains(t, body, "Adopt 2 finds")
	assert.Contains(t, body, "requests a minute")
	chosen["asked"] = []string{"1"}
	status, body = post(t, c, page+"/adopt", chosen)
	assert.Equal(t, 422, status, "no place and no kit")
	assert.Contains(t, body, `role="alert"`)
	chosen["new_place"], chosen["kit"] = []string{"Sandhaven"}, []string{"reachability"}
	res, err = c.PostForm(page+"/adopt", chosen)
	require.NoError(t, err)
	res.Body.Close()
	assert.Equal(t, page, r.url+res.Header.Get("HX-Redirect"))
	_, body, _ = get(t, c, page)
	assert.Equal(t, 2, strings.Count(body, ">adopted<"))

	other := url.Values{"find": {fmt.Sprint(finds[2].ID)}}
	status, _ = post(t, c, page+"/ignore", other)
	assert.Equal(t, 200, status)
	after, err := r.Find.Finds(t.Context(), testkit.Anyone, 1)
	require.NoError(t, err)
	verdicts := map[domain.ID]domain.Verdict{}
	for _, f := range after {
		verdicts[f.ID] = f.Verdict
	}
	assert.Equal(t, domain.FindIgnored, verdicts[finds[2].ID])
	other["back"] = []string{"1"}
	status, _ = post(t, c, page+"/ignore", other)
	assert.Equal(t, 200, status)
	status, _ = post(t, c, page+"/stop", nil)
	assert.Equal(t, 303, status, "stopping what has ended does no harm")
	status, _ = post(t, c, page+"/delete", nil)
	assert.Equal(t, 303, status)
	status, _, _ = get(t, c, page)
	assert.Equal(t, http.StatusNotFound, status)
	devices, err := r.Store.Devices.All(t.Context())
	require.NoError(t, err)
	assert.Len(t, devices, 2, "adopted devices stay watched")
}
