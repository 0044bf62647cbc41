package app

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/http/cookiejar"
	"net/netip"
	"net/url"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/api"
	"tirelessowl/internal/config"
	"tirelessowl/internal/demo"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/people"
	"tirelessowl/internal/service/run"
	"tirelessowl/internal/sim"
	"tirelessowl/internal/testkit"
)

func TestMain(m *testing.M) { testkit.Main(m) }

var estateOnce struct {
	sync.Once
	base netip.Addr
	port int
}

// Who may sign in at the services of the estate.
const (
	lookout   = "lookout"
	watchword = "whisper of the tide 77"
)

// said is what an application logs.
type said struct {
	mu   sync.Mutex
	text strings.Builder
}

func (s *said) Write(p []byte) (int, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.text.Write(p)
}

func (s *said) String() string {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.text.String()
}

// estate runs one simulated estate for all tests of this package.
func estate(t *testing.T) (netip.Addr, int) {
	t.Helper()
	estateOnce.Do(func() {
		estateOnce.base, estateOnce.port = netip.MustParseAddr("127.91.0.0"), 16391
		up := make(chan struct{})
		go func() {
			err := sim.Run(
				context.Background(),
				sim.Settings{Base: estateOnce.base, Port: estateOnce.port, Origin: time.Now(), Community: "c", DeskToken: "d",
					Watcher: sim.SignIn{User: lookout, Password: watchword}},
				func() { close(up) },
			)
			if err != nil {
				panic(err)
			}
		}()
		<-up
	})
	return estateOnce.base, estateOnce.port
}

type running struct {
	*App
	url   string
	token string
	base  netip.Addr
	said  *said // its log
}

// start runs an empty application with one administrator.
func start(t *testing.T) running {
	t.Helper()
	r := build(t)
	_, err := r.People.Enrol(
		t.Context(),
		testkit.Anyone,
		people.Draft{Name: "ines", Display: "Ines", Secret: "night-watch"},
		domain.AccessAdminister,
	)
	require.NoError(t, err)
	r.run(t, nil)
	return r
}

// keyOf makes a token that may do something everywhere.
func keyOf(t *testing.T, a *App, name string, level domain.Access) string {
	t.Helper()
	_, key, err := a.People.MakeToken(t.Context(), testkit.Anyone, domain.Token{Name: name, Grant: domain.Grant{Level: level}})
	require.NoError(t, err)
	return key.Reveal()
}

// build wires an application over a new database; nothing runs yet.
func build(t *testing.T) running {
	t.Helper()
	base, port := estate(t)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	listen := l.Addr().String()
	l.Close()
	s := testkit.OpenStore(t, testkit.URL(t))
	c := config.Config{Listen: listen, URL: "http://" + listen, DataDir: t.TempDir(), DemoBase: base, DemoPort: port, KeepDays: 14}
	c.Allow = []netip.Prefix{loopback}
	said := &said{}
	a, err := New(c, s, slog.New(slog.NewTextHandler(io.MultiWriter(t.Output(), said), nil)))
	require.NoError(t, err)
	key := keyOf(t, a, "test", domain.AccessAdminister)
	return running{a, c.URL, key, base, said}
}

func (r running) run(t *testing.T, drill run.Drill) {
	t.Helper()
	require.NoError(t, r.Start(t.Context(), drill))
	t.Cleanup(r.Stop)
}

// call sends JSON to the API and reads the answer into out.
func (r running) call(t *testing.T, method, path string, in, out any) int {
	t.Helper()
	var body io.Reader
	if in != nil {
		data, err := json.Marshal(in)
		require.NoError(t, err)
		body = bytes.NewReader(data)
	}
	req, err := http.NewRequestWithContext(t.Context(), method, r.url+"/api/v1"+path, body)
	require.NoError(t, err)
	req.Header.Set("Content-Type", "application/json")
	req.Header.Set("Authorization", "Bearer "+r.token)
	res, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	defer res.Body.Close()
	data, err := io.ReadAll(res.Body)
	require.NoError(t, err)
	if out != nil {
		require.NoError(t, json.Unmarshal(data, out), "%s", data)
	}
	return res.StatusCode
}

type list[T any] struct{ Items []T }

type problem struct {
	Status int
	Errors []struct{ Location, Message string }
}

func TestFromARangeToValuesOverTheAPI(t *testing.T) {
	r := start(t)
	var root, place api.Place
	require.Equal(t, 204, r.call(t, "PUT", "/recognition-rules", map[string]any{"rules": demo.Recognition()}, nil))
	require.Equal(t, 201, r.call(t, "POST", "/places", map[string]any{"name": "Kittiwake Line", "kind": "organisation"}, &root))
	require.Equal(t, 201, r.call(t, "POST", "/places", map[string]any{"name": "Sandhaven", "kind": "site", "parent_id": root.ID}, &place))
	var sweep api.Sweep
	ranges := fmt.Sprintf("%s/24", sim.Offset(r.base, 30, 0))
	require.Equal(
		t,
		201,
		r.call(t, "POST", "/sweeps", map[string]any{"name": "pier", "ranges": ranges, "port": r.Config.DemoPort, "community": "c"}, &sweep),
	)
	assert.Equal(t, int64(256), sweep.Total)
	path := fmt.Sprintf("/sweeps/%d", sweep.ID)
	require.Equal(t, 200, r.call(t, "POST", path+"/start", nil, nil))
	require.Eventually(
		t,
		func() bool { r.call(t, "GET", path, nil, &sweep); return sweep.State == string(domain.SweepDone) },
		30*time.Second,
		100*time.Millisecond,
	)
	assert.Equal(t, int64(256), sweep.Tried)
	var finds list[api.Find]
	r.call(t, "GET", path+"/finds", nil, &finds)
	require.Len(t, finds.Items, 9)
	edge := finds.Items[0]
	assert.Equal(
		t,
		[]string{"sh-edge-1", "Brackwater Networks", "BR-240", "router"},
		[]string{edge.Name, edge.Vendor, edge.Model, edge.Kind},
	)
	var anew api.RecognitionRehearsal
	require.Equal(t, 200, r.call(t, "POST", "/recognition-rules/rehearsal", map[string]any{"rules": ""}, &anew))
	assert.Equal(t, "enterprise 32473", anew.Changes[0].After.Vendor, "as it would be without")
	registry := map[string]any{"text": "32473\n  Example Enterprise\n"}
	var loaded api.EnterprisesLoaded
	require.Equal(t, 200, r.call(t, "PUT", "/enterprises", registry, &loaded))
	assert.Equal(t, 1, loaded.Enterprises)
	require.Equal(t, 200, r.call(t, "POST", "/recognition-rules/rehearsal", map[string]any{"rules": ""}, &anew))
	assert.Equal(t, "Example Enterprise", anew.Changes[0].After.Vendor)
	assert.Len(t, edge.Others, 1, "its second address is the same device")
	assert.Equal(t, 4, edge.Parts["interface"])

	adopt := map[string]any{
		"find_ids":        []int64{edge.ID},
		"place_id":        place.ID,
		"kits":            []string{"reachability", "interfaces", "host-resources"},
		"gateway_find_id": edge.ID,
	}
	var made api.Adopted
	require.Equal(t, 200, r.call(t, "POST", path+"/adopt", adopt, &made))
	require.Equal(t, 422, r.call(t, "POST", path+"/adopt", adopt, nil), "it is watched already")
	device := fmt.Sprintf("/devices/%d", made.Devices[0].ID)
	type reading struct {
		ID            int64
		Reading, Unit string
		Value         *float64
	}
	var readings list[reading]
	require.Eventually(t, func() bool {
		r.call(t, "POST", device+"/collect", nil, nil)
		r.call(t, "GET", device+"/readings", nil, &readings)
		waiting := 0
		for _, x := range readings.Items {
			if x.Value == nil {
				waiting++
			}
		}
		return len(readings.Items) == 17 && waiting == 0 // 2 of reachability, 3 ports × 5; the loopback is left out
	}, 30*time.Second, 250*time.Millisecond)
	var samples struct {
		Unit    string
		Rollups []domain.Rollup
	}
	require.Equal(t, 200, r.call(t, "GET", fmt.Sprintf("/series/%d/samples?points=10", readings.Items[0].ID), nil, &samples))
	assert.NotEmpty(t, samples.Rollups)
	assert.Equal(t, "%", samples.Unit)
	var parts list[api.Part]
	r.call(t, "GET", device+"/parts", nil, &parts)
	assert.Len(t, parts.Items, 3)

	// The same range again: what is watched is recognised.
	require.Equal(t, 200, r.call(t, "POST", path+"/start", nil, nil))
	require.Equal(t, 409, r.call(t, "POST", path+"/start", nil, nil), "it runs")
	require.Eventually(
		t,
		func() bool { r.call(t, "GET", path, nil, &sweep); return sweep.State == string(domain.SweepDone) },
		30*time.Second,
		100*time.Millisecond,
	)
	r.call(t, "GET", path+"/finds", nil, &finds)
	assert.Len(t, finds.Items, 9)
}

func TestAPIRefusesInWords(t *testing.T) {
	r := start(t)
	for name, c := range map[string]struct {
		method, path string
		body         any
		status       int
		field        string
	}{
		"reversed range": {
			"POST", "/sweeps", map[string]any{"name": "x", "ranges": "192.0.2.9-192.0.2.1", "port": 161, "community": "c"}, 422,
			"body.ranges",
		},
		"huge range": {
			"POST", "/sweeps", map[string]any{"name": "x", "ranges": "0.0.0.0/0", "port": 161, "community": "c"}, 422,
			"body.ranges",
		},
		"no port": {
			"POST", "/sweeps", map[string]any{"name": "x", "ranges": "192.0.2.1", "port": 0, "community": "c"}, 422,
			"body.port",
		},
		"no credential":  {"POST", "/sweeps", map[string]any{"name": "x", "ranges": "192.0.2.1", "port": 161}, 422, "body.credential_ids"},
		"unknown field":  {"POST", "/sweeps", map[string]any{"name": "x", "wobble": 1}, 422, "body.wobble"},
		"unknown device": {"GET", "/devices/999", nil, 404, ""},
		"not a number":   {"GET", "/devices/x", nil, 422, "path.id"},
		"backward time":  {"GET", "/series/1/samples?from=2026-01-02T00:00:00Z&to=2026-01-01T00:00:00Z", nil, 422, "query.from"},
		"rule":           {"GET", "/rules/999", nil, 404, ""},
	} {
		t.Run(name, func(t *testing.T) {
			var p problem
			assert.Equal(t, c.status, r.call(t, c.method, c.path, c.body, &p))
			assert.Equal(t, c.status, p.Status)
			if c.field != "" {
				var fields []string
				for _, e := range p.Errors {
					fields = append(fields, e.Location)
				}
				assert.Contains(t, fields, c.field)
			}
		})
	}
	var rules list[struct{ ID int64 }]
	r.call(t, "GET", "/rules", nil, &rules)
	require.NotEmpty(t, rules.Items)
	var rule map[string]any
	path := fmt.Sprintf("/rules/%d", rules.Items[0].ID)
	r.call(t, "GET", path, nil, &rule)
	for _, k := range []string{"id", "kit", "reading", "unit", "words"} {
		delete(rule, k)
	}
	rule["limits"] = map[string]any{"warning": map[string]any{"raise": 1, "recover": 2}}
	rule["side"] = "above"
	assert.Equal(t, 422, r.call(t, "PUT", path, rule, nil))
}

func TestTokensHaveLevels(t *testing.T) {
	r := start(t)
	looking := keyOf(t, r.App, "look", domain.AccessSee)
	for name, level := range map[string]domain.Access{"look": domain.AccessSee, "x": "root"} {
		_, _, err := r.People.MakeToken(t.Context(), testkit.Anyone, domain.Token{Name: name, Grant: domain.Grant{Level: level}})
		assert.Error(t, err, "names are unique, and there is no such level")
	}
	r.token = looking
	assert.Equal(t, 200, r.call(t, "GET", "/devices", nil, nil))
	assert.Equal(t, 403, r.call(t, "POST", "/places", map[string]any{"name": "x", "kind": "site"}, nil))
	r.token = "nonsense"
	assert.Equal(t, 401, r.call(t, "GET", "/devices", nil, nil))
	res, err := http.Get(r.url + "/api/v1/openapi.json")
	require.NoError(t, err)
	defer res.Body.Close()
	var doc struct {
		OpenAPI string
		Paths   map[string]any
	}
	require.NoError(t, json.NewDecoder(res.Body).Decode(&doc))
	assert.True(t, strings.HasPrefix(doc.OpenAPI, "3.1"))
	assert.Greater(t, len(doc.Paths), 25)
}

// browser is a client that keeps its session.
func browser(t *testing.T) *http.Client {
	t.Helper()
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	return &http.Client{Jar: jar, CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
}

func (r running) signIn(t *testing.T, c *http.Client, password string) *http.Response {
	t.Helper()
	form := url.Values{"name": {"ines"}, "password": {password}, "trust": {"true"}, "next": {"//evil.example"}}
	res, err := c.PostForm(r.url+"/signin", form)
	require.NoError(t, err)
	res.Body.Close()
	return res
}

func (r running) signInAs(t *testing.T, c *http.Client, name, password string) {
	t.Helper()
	res, err := c.PostForm(r.url+"/signin", url.Values{"name": {name}, "password": {password}, "trust": {"true"}})
	require.NoError(t, err)
	res.Body.Close()
	require.Equal(t, http.StatusSeeOther, res.StatusCode)
}

func get(t *testing.T, c *http.Client, url string) (int, string, http.Header) {
	t.Helper()
	res, err := c.Get(url)
	require.NoError(t, err)
	defer res.Body.Close()
	body, err := io.ReadAll(res.Body)
	require.NoError(t, err)
	return res.StatusCode, string(body), res.Header
}

func TestSignIn(t *testing.T) {
	r, c := start(t), browser(t)
	status, _, header := get(t, c, r.url+"/incidents?state=all")
	assert.Equal(t, 303, status)
	assert.Equal(t, "/signin?next=%2Fincidents%3Fstate%3Dall", header.Get("Location"))
	assert.NotContains(t, header.Get("Content-Security-Policy"), "unsafe")
	res := r.signIn(t, c, "night-watch")
	assert.Equal(t, "/", res.Header.Get("Location"), "never to another host")
	cookie := res.Cookies()[0]
	assert.True(t, cookie.HttpOnly)
	assert.Equal(t, http.SameSiteLaxMode, cookie.SameSite)
	status, body, _ := get(t, c, r.url+"/")
	assert.Equal(t, 200, status)
	assert.Contains(t, body, "Nothing is watched yet", "an empty estate says what to do")

	req, _ := http.NewRequest("POST", r.url+"/signout", nil)
	req.Header.Set("Origin", "https://evil.example")
	req.Header.Set("Sec-Fetch-Site", "cross-site")
	res, err := c.Do(req)
	require.NoError(t, err)
	assert.Equal(t, 403, res.StatusCode, "writes from elsewhere are refused")
	res, err = c.PostForm(r.url+"/signout", nil)
	require.NoError(t, err)
	assert.Equal(t, 303, res.StatusCode)
	status, _, _ = get(t, c, r.url+"/")
	assert.Equal(t, 303, status)
}

func TestGuessingIsSlowedDown(t *testing.T) {
	r, c := start(t), browser(t)
	for range 4 {
		assert.Equal(t, 422, r.signIn(t, c, "wrong").StatusCode)
	}
	res := r.signIn(t, c, "night-watch")
	assert.Equal(t, 429, res.StatusCode, "even the right one has to wait")
	assert.NotEmpty(t, res.Header.Get("Retry-After"))
}

// Every screen must show itself with an empty database.
func TestEmptyScreens(t *testing.T) {
	r, c := start(t), browser(t)
	r.signIn(t, c, "night-watch")
	for _, path := range []string{
		"/", "/devices", "/find", "/find/new", "/collect", "/collect/values", "/judge", "/judge/rules/1", "/judge/transitions",
		"/incidents", "/respond/deliveries",
		"/respond/plans", "/run", "/run/storage", "/run/storage?by=device&q=zzz", "/run/channels", "/run/drill",
		"/search?q=x", "/estate-strip", "/devices?q=%25&sort=-address&page=9",
	} {
		status, body, _ := get(t, c, r.url+path)
		assert.Equal(t, 200, status, path)
		assert.NotContains(t, body, "<no value>", path)
	}
	for _, path := range []string{
		"/devices/99", "/incidents/99", "/series/99", "/judge/rules/99", "/why/device/99", "/why/nothing/1",
		"/find/sweeps/99", "/nowhere", "/devices/x",
	} {
		status, body, _ := get(t, c, r.url+path)
		assert.Equal(t, 404, status, path)
		assert.Contains(t, body, "not here", path)
	}
}

func TestHealthAndReadiness(t *testing.T) {
	r := start(t)
	for path, want := range map[string]int{
		"/healthz": 200, "/readyz": 200, "/static/vendor/owl.css": 200, "/static/nothing": 404, "/events": 401,
	} {
		status, _, _ := get(t, http.DefaultClient, r.url+path)
		assert.Equal(t, want, status, path)
	}
}

// A process that was killed between the desk's answer and storing it sends
// the same delivery again: there must be one ticket and one note.
func TestDeskIsAskedTwiceAndTicketsOnce(t *testing.T) {
	r, ctx := start(t), t.Context()
	channel, err := r.Store.Channels.Save(
		ctx,
		domain.Channel{Name: "desk", Kind: "desk", Settings: map[string]string{"url": sim.DeskURL(r.base)}},
		domain.Secrets{"token": "d"},
	)
	require.NoError(t, err)
	p, err := r.Store.Places.Save(ctx, domain.Place{Name: "p", Kind: domain.Site})
	require.NoError(t, err)
	d, err := r.Store.Devices.Add(
		ctx,
		domain.Device{PlaceID: p.ID, Name: "x", Address: netip.MustParseAddr("192.0.2.1"), CreatedAt: time.Now()},
		"",
		nil,
	)
	require.NoError(t, err)
	in, err := r.Store.Incidents.Save(
		ctx,
		domain.Incident{
			DeviceID:  d.ID,
			Cause:     "c",
			Title:     "t",
			Level:     3,
			State:     domain.IncidentOpen,
			OpenedAt:  time.Now(),
			EpisodeAt: time.Now(),
		},
	)
	require.NoError(t, err)
	x := domain.Delivery{
		ID:         1,
		IncidentID: in.ID,
		Kind:       domain.DeliverTicket,
		ChannelID:  channel.ID,
		Subject:    "Critical: x",
		Body:       "…",
		Level:      3,
	}
	first, _, err := r.deliver.Deliver(ctx, x)
	require.NoError(t, err)
	again, _, err := r.deliver.Deliver(ctx, x)
	require.NoError(t, err)
	assert.Equal(t, first.Ticket.Number, again.Ticket.Number)
	require.NoError(
		t,
		r.Store.Tickets.Save(
			ctx,
			domain.Ticket{
				IncidentID: in.ID,
				ChannelID:  channel.ID,
				Number:     first.Ticket.Number,
				URL:        first.Ticket.URL,
				State:      first.Ticket.State,
				CreatedAt:  time.Now(),
			},
		),
	)
	note := domain.Delivery{ID: 2, IncidentID: in.ID, Kind: domain.DeliverNote, ChannelID: channel.ID, Body: "Recovered"}
	for range 2 {
		_, _, err = r.deliver.Deliver(ctx, note)
		require.NoError(t, err)
	}
	_, page, _ := get(t, http.DefaultClient, first.Ticket.URL)
	assert.Equal(t, 1, strings.Count(page, "<pre>Recovered"))
	assert.Contains(t, page, fmt.Sprintf("%s/incidents/%d", r.url, in.ID), "it links back")
}

func TestSpoiltDeskAndMail(t *testing.T) {
	r, ctx := start(t), t.Context()
	desk, err := r.Store.Channels.Save(
		ctx,
		domain.Channel{Name: "desk", Kind: "desk", Settings: map[string]string{"url": sim.DeskURL(r.base)}},
		domain.Secrets{"token": "d"},
	)
	require.NoError(t, err)
	host, port := sim.MailHost(r.base)
	mail, err := r.Store.Channels.Save(
		ctx,
		domain.Channel{
			Name:     "mail",
			Kind:     "mail",
			Settings: map[string]string{"host": host, "port": fmt.Sprint(port), "from": "owl@kittiwake.example", "encryption": "none"},
		},
		nil,
	)
	require.NoError(t, err)
	outcome, err := r.Respond.TryChannel(ctx, testkit.Anyone, mail.ID, "a@kittiwake.example")
	require.NoError(t, err)
	assert.Contains(t, outcome, "accepted")
	_, err = r.Respond.TryChannel(ctx, testkit.Anyone, mail.ID, "no address")
	assert.ErrorContains(t, err, "mail address")
	drill := demo.Client{URL: sim.ControlURL(r.base)}
	for kind, want := range map[string]string{sim.FaultDeskRefuses: "lost its database", sim.FaultDeskNonsense: "not JSON"} {
		fault, err := drill.Break(ctx, domain.Fault{Kind: kind})
		require.NoError(t, err)
		_, permanent, err := r.deliver.Deliver(
			ctx,
			domain.Delivery{Kind: domain.DeliverTicket, ChannelID: desk.ID, IncidentID: 1, Subject: "x"},
		)
		assert.ErrorContains(t, err, want)
		assert.False(t, permanent)
		_, err = drill.Mend(ctx, fault.ID)
		require.NoError(t, err)
	}
	fault, err := drill.Break(ctx, domain.Fault{Kind: sim.FaultMailRefuses})
	require.NoError(t, err)
	_, permanent, err := r.deliver.Deliver(
		ctx,
		domain.Delivery{Kind: domain.DeliverMessage, ChannelID: mail.ID, Recipient: "a@kittiwake.example", Subject: "x"},
	)
	assert.ErrorContains(t, err, "being repaired")
	assert.False(t, permanent)
	_, err = drill.Mend(ctx, fault.ID)
	require.NoError(t, err)
	_, err = drill.Break(ctx, domain.Fault{Kind: "wobble"})
	assert.ErrorContains(t, err, "unknown kind")
}

// post sends a form as the browser does.
func post(t *testing.T, c *http.Client, address string, form url.Values) (int, string) {
	t.Helper()
	res, err := c.PostForm(address, form)
	require.NoError(t, err)
	defer res.Body.Close()
	body, err := io.ReadAll(res.Body)
	require.NoError(t, err)
	return res.StatusCode, string(body)
}

// send posts a form as the scripts of a page do.
func send(t *testing.T, c *http.Client, address string, form url.Values) (int, string) {
	t.Helper()
	req, err := http.NewRequestWithContext(t.Context(), http.MethodPost, address, strings.NewReader(form.Encode()))
	require.NoError(t, err)
	req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	req.Header.Set("HX-Request", "true")
	res, err := c.Do(req)
	require.NoError(t, err)
	defer res.Body.Close()
	body, err := io.ReadAll(res.Body)
	require.NoError(t, err)
	return res.StatusCode, string(body)
}

func TestResponsesAreSetUpByHand(t *testing.T) {
	r, c := start(t), browser(t)
	r.signIn(t, c, "night-watch")
	status, _ := post(t, c, r.url+"/respond/plans/new", nil)
	assert.Equal(t, 409, status, "a channel first")
	for _, kind := range []string{"mail", "desk", "mail"} {
		status, _ = post(t, c, r.url+"/run/channels/new", url.Values{"kind": {kind}})
		require.Equal(t, 303, status)
	}
	status, _ = post(t, c, r.url+"/run/channels/new", url.Values{"kind": {"pigeon"}})
	assert.Equal(t, 404, status)
	channels, err := r.Store.Channels.All(t.Context())
	require.NoError(t, err)
	require.Len(t, channels, 3)
	mail := fmt.Sprintf("%s/run/channels/%d", r.url, channels[0].ID)
	status, body := post(t, c, mail, url.Values{"host": {""}, "port": {"x"}, "from": {"nobody"}})
	assert.Equal(t, 422, status)
	for _, want := range []string{"Must be set", "1 to 65535", "Must be a mail address"} {
		assert.Contains(t, body, want)
	}
	host, port := sim.MailHost(r.base)
	status, body = post(
		t,
		c,
		mail,
		url.Values{"host": {host}, "port": {fmt.Sprint(port)}, "from": {"owl@kittiwake.example"}, "password": {"harbour-pw"}},
	)
	assert.Equal(t, 200, status)
	assert.NotContains(t, body, "harbour-pw", "secrets are never sent back")
	assert.Contains(t, body, "leave empty to keep it")
	status, _ = post(t, c, r.url+"/respond/plans/new", nil)
	require.Equal(t, 303, status)
	plans, err := r.Store.Plans.All(t.Context())
	require.NoError(t, err)
	require.Len(t, plans, 1)
	assert.False(t, plans[0].Enabled, "off until somebody is named")
	path := fmt.Sprintf("%s/respond/plans/%d", r.url, plans[0].ID)
	status, body = post(t, c, path+"/recipients", url.Values{"to": {"nobody"}, "from": {"critical"}})
	assert.Equal(t, 422, status)
	assert.Contains(t, body, "Must be a mail address")
	assert.Contains(t, body, `value="nobody"`, "nothing typed is lost")
	status, _ = post(t, c, path+"/recipients", url.Values{"to": {"a@kittiwake.example, b@kittiwake.example"}, "from": {"critical"}})
	assert.Equal(t, 200, status)
	status, _ = post(t, c, path, url.Values{"enabled": {"yes"}})
	assert.Equal(t, 303, status)
	plans, err = r.Store.Plans.All(t.Context())
	require.NoError(t, err)
	assert.True(t, plans[0].Enabled)
	assert.Equal(t, domain.LevelCritical, plans[0].Steps[0].AtLeast)
	assert.Len(t, plans[0].Steps[0].To, 2)
	_, body, _ = get(t, c, r.url+"/respond/plans")
	assert.Contains(t, body, "a@kittiwake.example, b@kittiwake.example")
}

func TestDeviceIsEditedPausedAndRemoved(t *testing.T) {
	r, c, ctx := start(t), browser(t), t.Context()
	r.signIn(t, c, "night-watch")
	p, err := r.Store.Places.Save(ctx, domain.Place{Name: "Pier", Kind: domain.Site})
	require.NoError(t, err)
	d, err := r.Store.Devices.Add(
		ctx,
		domain.Device{PlaceID: p.ID, Name: "<script>x", Address: sim.Offset(r.base, 30, 1), CreatedAt: time.Now()},
		"",
		nil,
	)
	require.NoError(t, err)
	require.NoError(t, r.Store.Fittings.Fit(ctx, domain.Fitting{DeviceID: d.ID, Kit: "reachability"}))
	require.NoError(t, r.Engine.Reload(ctx, d.ID))
	path := fmt.Sprintf("%s/devices/%d", r.url, d.ID)
	status, body, _ := get(t, c, path)
	assert.Equal(t, 200, status)
	assert.NotContains(t, body, "<script>x", "names are escaped")
	status, body = post(t, c, path+"/kits/reachability", url.Values{"method": {"smoke"}, "port": {"0"}})
	assert.Equal(t, 422, status)
	assert.Contains(t, body, "Choose one of udp, echo, tcp")
	status, _ = post(t, c, path+"/kits/reachability", url.Values{"method": {"tcp"}, "port": {"443"}})
	assert.Equal(t, 200, status)
	fitted, err := r.Store.Fittings.Of(ctx, d.ID)
	require.NoError(t, err)
	assert.Equal(t, "tcp", fitted[0].Parameters["method"])
	status, body = post(t, c, path+"/collect", nil)
	assert.Equal(t, 200, status)
	assert.Contains(t, body, "1 request is on its way")
	status, _ = post(t, c, path+"/pause", url.Values{"paused": {"yes"}})
	assert.Equal(t, 303, status)
	_, body = post(t, c, path+"/collect", nil)
	assert.Contains(t, body, "paused")
	for _, page := range []string{"/values", "/values?show=head", "/values?show=side"} {
		status, _, _ = get(t, c, path+page)
		assert.Equal(t, 200, status, page)
	}
	status, _, _ = get(t, c, r.url+"/chart?series=1,2,x")
	assert.Equal(t, 404, status)
	status, _ = post(t, c, path+"/delete", nil)
	assert.Equal(t, 303, status)
	status, _, h := get(t, c, path)
	assert.Equal(t, 303, status)
	assert.Equal(t, "/devices/removed?q=%3Cscript%3Ex", h.Get("Location"), "an old link leads to what became of it")
	status, body, _ = get(t, c, r.url+h.Get("Location"))
	assert.Equal(t, 200, status)
	assert.Contains(t, body, "&lt;script&gt;x")
	status, _ = post(t, c, fmt.Sprintf("%s/devices/removed/%d/forget", r.url, d.ID), nil)
	assert.Equal(t, 303, status)
	status, _, _ = get(t, c, path)
	assert.Equal(t, 404, status)
}
