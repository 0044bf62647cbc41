package app

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"math/rand/v2"
	"net/http"
	"net/netip"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/access"
	judging "tirelessowl/internal/core/estate"
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/find"
	"tirelessowl/internal/service/people"
	"tirelessowl/internal/testkit"
)

// thicket is a random tree with things whose names cannot be guessed.
type thicket struct {
	*rand.Rand
	r       running
	places  []domain.Place
	devices []domain.Device
	series  []domain.Series
	// names are the names of all things by where they stand.
	names map[domain.Spot][]string
	// handed are the names of what is set at a place and holds for all below.
	handed map[domain.ID][]string
	count  int
}

// word is one that stands nowhere else.
func (w *thicket) word() string {
	w.count++
	return fmt.Sprintf("zq%dx%dqz", w.IntN(1_000_000), w.count)
}

// name is such a word for something at a place.
func (w *thicket) name(place domain.ID) string {
	out := w.word()
	w.own(domain.At(place), out)
	return out
}

func (w *thicket) own(at domain.Spot, words ...string) { w.names[at] = append(w.names[at], words...) }

// carried are the tags that are given to some places and devices; teams are granted what carries them.
var carried = []string{"night", "pump"}

const (
	thicketPlaces  = 9
	thicketDevices = 14
)

// grow plants everything: three organisations with places, devices, parts, troubles
// behind other devices, people, teams, sweeps.
func (w *thicket) grow(t *testing.T) {
	t.Helper()
	ctx := t.Context()
	for n := range thicketPlaces {
		p := domain.Place{Kind: domain.Organisation, Name: w.word()}
		if n >= 3 {
			p.Kind, p.ParentID = domain.Site, w.places[w.IntN(len(w.places))].ID
		}
		saved, err := w.r.Places.Save(ctx, testkit.Anyone, p)
		require.NoError(t, err)
		w.places = append(w.places, saved)
		w.tag(t, domain.Attribute{PlaceID: saved.ID}, 5)
	}
	rules, err := w.r.Store.Rules.All(ctx)
	require.NoError(t, err)
	i := slices.IndexFunc(rules, func(x rule.Rule) bool { return x.Reading == "in_errors" })
	for n := range thicketDevices {
		w.plant(t, w.places[w.IntN(len(w.places))].ID, n, rules[i])
	}
	for _, p := range w.places[:5] {
		w.settle(t, p.ID)
		w.set(t, p.ID)
	}
}

// tag gives one of the tags to a thing, once in so many times.
func (w *thicket) tag(t *testing.T, to domain.Attribute, once int) {
	t.Helper()
	if w.IntN(once) > 0 {
		return
	}
	to.Name, to.Tag = carried[w.IntN(len(carried))], true
	require.NoError(t, w.r.Store.Attributes.Set(t.Context(), []domain.Attribute{to}))
}

// set sets everything that can be set at a place: a stretch, a gateway, a credential, an
// attribute, addresses to leave alone.
func (w *thicket) set(t *testing.T, place domain.ID) {
	t.Helper()
	ctx, s := t.Context(), w.r.Store
	c, err := s.Credentials.Add(ctx, domain.Credential{Name: w.name(place), Kind: "community", PlaceID: place},
		domain.Secrets{"community": "c"})
	require.NoError(t, err)
	gateway := w.devices[w.IntN(len(w.devices))]
	for key, value := range map[domain.SettingKey]string{
		domain.SettingCredential("snmp"): fmt.Sprint(c.ID),
		domain.SettingGateway:            fmt.Sprint(gateway.ID),
		domain.SettingStretch:            fmt.Sprint(2 + w.IntN(5)),
		domain.SettingLeaveAlone:         "203.0.113." + fmt.Sprint(w.IntN(250)),
	} {
		refers := domain.ID(0)
		if key == domain.SettingGateway {
			refers = gateway.ID
		}
		require.NoError(t, s.Overrides.Set(ctx, domain.Override{PlaceID: place, Key: key, Value: value}, refers))
	}
	a := domain.Attribute{PlaceID: place, Name: w.word(), Value: w.word()}
	w.handed[place] = []string{a.Name, a.Value}
	require.NoError(t, s.Attributes.Set(ctx, []domain.Attribute{a}))
}

// plant makes a device with a port in trouble, out of reach behind another one.
func (w *thicket) plant(t *testing.T, place domain.ID, n int, broken rule.Rule) {
	t.Helper()
	ctx, s := t.Context(), w.r.Store
	names := []string{w.word(), w.word(), w.word()}
	d, err := s.Devices.Add(ctx, domain.Device{PlaceID: place, Name: names[0], Kind: "switch",
		Address: netip.AddrFrom4([4]byte{192, 0, 2, byte(n + 1)}), CreatedAt: time.Now()}, "", nil)
	require.NoError(t, err)
	w.own(d.Spot(), names...)
	w.tag(t, domain.Attribute{DeviceID: d.ID}, 2)
	require.NoError(t, s.Fittings.Fit(ctx, domain.Fitting{DeviceID: d.ID, Kit: "interfaces"}))
	parts, err := s.Parts.Add(
		ctx,
		[]domain.Part{{DeviceID: d.ID, Kit: "interfaces", Kind: "interface", Key: "p", Name: names[1], Note: names[2]}},
	)
	require.NoError(t, err)
	series, err := s.Series.Add(
		ctx,
		[]domain.Series{
			{
				DeviceID: d.ID,
				PartID:   parts[0].ID,
				Kit:      "interfaces",
				Reading:  "in_errors",
				Name:     "Errors in",
				Unit:     "1/s",
				Interval: time.Minute,
			},
		},
	)
	require.NoError(t, err)
	require.NoError(
		t,
		s.Samples.Append(
			ctx,
			[]domain.SeriesSample{{SeriesID: series[0].ID, Sample: domain.Sample{At: time.Now().Add(-time.Minute), Value: 1}}},
		),
	)
	at := time.Now().UTC()
	of := judging.Device{ID: d.ID, Name: d.Name, PlaceID: place}
	found := judging.Result{
		Judged: []judging.Judged{{Rule: broken, Device: of, To: domain.LevelWarning, At: at, FirstBadAt: at, Value: 9, Limit: 5,
			Series: judging.Series{
				ID:       series[0].ID,
				DeviceID: d.ID,
				Part:     parts[0].Name,
				Name:     "Errors in",
				Kit:      "interfaces",
				Reading:  "in_errors",
				Every:    time.Minute,
			}}},
	}
	if len(w.devices) > 0 {
		root := w.devices[w.IntN(len(w.devices))]
		trace := why.Trace{Question: "Why unreachable?", Answer: "what it is reached through does not answer"}
		trace.Because(root.Name+" does not answer either", "this device is reached through it", why.To("device", root.ID))
		found.Judged[0].Why.Include("Down, or only out of reach?", trace)
		found.Health = []judging.HealthChange{{Device: of, From: domain.Unknown, To: domain.Unreachable, At: at, Behind: root.ID,
			Reason: "behind " + root.Name + ", which does not answer", Why: trace}}
		o := domain.Override{DeviceID: d.ID, Key: domain.SettingGateway, Value: fmt.Sprint(root.ID)}
		require.NoError(t, s.Overrides.Set(ctx, o, root.ID))
	}
	require.NoError(t, w.r.Respond.Record(ctx, 0, found))
	w.devices, w.series = append(w.devices, d), append(w.series, series...)
}

// settle makes a team, a person, a sweep with a find at a place, and a removed device.
func (w *thicket) settle(t *testing.T, place domain.ID) {
	t.Helper()
	ctx, who := t.Context(), testkit.Anyone
	team, err := w.r.People.SaveTeam(
		ctx,
		who,
		domain.Team{Name: w.name(place), PlaceID: place, Grants: []domain.Grant{{PlaceID: place, Level: domain.AccessSee}}},
	)
	require.NoError(t, err)
	_, err = w.r.People.Add(ctx, who, people.Draft{Name: w.name(place), PlaceID: place, Teams: []domain.ID{team.ID}, Secret: "night-watch"})
	require.NoError(t, err)
	sweep, err := w.r.Find.Create(
		ctx,
		who,
		find.Draft{PlaceID: place, Name: w.name(place), Ranges: "127.119.0.0/30", Port: 1, Community: "c", NewName: w.name(place)},
	)
	require.NoError(t, err)
	require.NoError(
		t,
		w.r.Store.Finds.Save(
			ctx,
			[]domain.Find{{SweepID: sweep.ID, Identity: w.name(place), Address: "127.119.0.1", Name: w.name(place), Way: "snmp",
				Verdict: domain.FindNew, FoundAt: time.Now()}},
		),
	)
	gone, err := w.r.Store.Devices.Add(
		ctx,
		domain.Device{PlaceID: place, Name: w.name(place), Address: netip.MustParseAddr("192.0.2.200"), CreatedAt: time.Now()},
		"",
		nil,
	)
	require.NoError(t, err)
	require.NoError(t, w.r.Devices.Remove(ctx, who, gone.ID, 0))
}

// visitor makes a person with random rights, who belongs to one of the places.
func (w *thicket) visitor(t *testing.T, n int) (name string, who access.Actor) {
	t.Helper()
	var grants []domain.Grant
	for range 1 + w.IntN(3) {
		g := domain.Grant{PlaceID: w.places[w.IntN(len(w.places))].ID, Level: domain.AllAccess()[w.IntN(4)]}
		if w.IntN(3) == 0 {
			g.Areas = []domain.Area{domain.AllAreas()[w.IntN(8)], domain.AreaWatch}
		}
		if w.IntN(2) == 0 {
			g.Tag = carried[w.IntN(len(carried))]
		}
		grants = append(grants, g)
	}
	team, err := w.r.People.SaveTeam(t.Context(), testkit.Anyone, domain.Team{Name: fmt.Sprint("visitors ", n), Grants: grants})
	require.NoError(t, err)
	name = fmt.Sprint("visitor-", n)
	u, err := w.r.People.Add(t.Context(), testkit.Anyone, people.Draft{Name: name, Teams: []domain.ID{team.ID}, Secret: "night-watch"})
	require.NoError(t, err)
	who, err = w.r.People.Actor(t.Context(), u.ID, "")
	require.NoError(t, err)
	return name, who
}

// secrets are the names of all that an actor may not see of any area.
func (w *thicket) secrets(t *testing.T, who access.Actor) *regexp.Regexp {
	t.Helper()
	seen := who.Anywhere(domain.AccessSee)
	var out []string
	for at, names := range w.names {
		if !seen.Has(at) {
			out = append(out, names...)
		}
	}
	// Of a device that is seen by itself the place is told, by its name alone, and so it is
	// of what the own teams are granted, even where nothing carries the tag that it is for.
	around := slices.Collect(maps.Values(seen.Devices()))
	teams, err := w.r.Store.Teams.Of(t.Context(), who.ID)
	require.NoError(t, err)
	told := slices.Clone(around)
	for _, g := range teams[0].Grants {
		told = append(told, g.PlaceID)
	}
	for _, p := range w.places {
		if !seen.HasPlace(p.ID) && !slices.Contains(told, p.ID) {
			out = append(out, p.Name)
		}
	}
	tree := access.NewTree(w.places)
	within := func(of domain.ID) func(domain.ID) bool { return func(p domain.ID) bool { return tree.Within(p, of) } }
	for place, names := range w.handed {
		if !slices.ContainsFunc(slices.Concat(seen.Places(), around), within(place)) {
			out = append(out, names...)
		}
	}
	if len(out) == 0 {
		return regexp.MustCompile("^never$")
	}
	return regexp.MustCompile(strings.Join(out, "|"))
}

// No page and no answer of the API tells of anything outside of what somebody may see,
// whatever the tree, the things and the rights are.
func TestNothingTellsOfWhatIsOutside(t *testing.T) {
	w := &thicket{
		Rand:   rand.New(rand.NewPCG(10, uint64(time.Now().UnixNano()))),
		r:      start(t),
		names:  map[domain.Spot][]string{},
		handed: map[domain.ID][]string{},
	}
	w.grow(t)
	for n := range 4 {
		name, who := w.visitor(t, n)
		secret := w.secrets(t, who)
		c := browser(t)
		w.r.signInAs(t, c, name, "night-watch")
		pages := w.crawl(t, c, secret)
		_, key, err := w.r.People.MakeToken(t.Context(), who, domain.Token{Name: name, Grant: domain.Grant{Level: domain.AccessAdminister}})
		require.NoError(t, err)
		answers := w.ask(t, key.Reveal(), secret)
		seen := who.Anywhere(domain.AccessSee)
		const done = "%s: %d places and %d devices seen; %d pages, %d answers"
		t.Logf(done, name, len(seen.Places()), len(seen.Devices()), pages, answers)
		w.hear(t, c, who)
	}
}

// paths are the pages of every thing, by its number.
var paths = []string{
	"/devices/%d",
	"/devices/%d/values",
	"/devices/%d/where",
	"/devices/%d/setup",
	"/devices/%d/settings",
	"/devices/%d/attributes",
	"/run/places/%d/settings",
	"/run/places/%d/attributes",
	"/series/%d",
	"/series/%d/samples?format=csv",
	"/chart?series=%d&span=1h",
	"/incidents/%d",
	"/run/places/%d",
	"/run/people/%d",
	"/run/people/%d/allowed?place=1",
	"/run/people/%d/allowed?place=4",
	"/run/people/%d/allowed?place=9",
	"/run/teams/%d",
	"/find/sweeps/%d",
	"/run/audit/%d",
	"/why/device/%d",
	"/why/transition/%d",
	"/why/alert/%d",
	"/why/event/%d",
	"/why/incident/%d",
	"/why/series/%d",
	"/why/delivery/%d",
}

// crawl opens every page that links lead to, and those of every thing.
func (w *thicket) crawl(t *testing.T, c *http.Client, secret *regexp.Regexp) int {
	t.Helper()
	queue := []string{
		"/",
		"/devices",
		"/find",
		"/collect",
		"/collect/values",
		"/judge",
		"/judge/transitions",
		"/incidents?state=all",
		"/respond/deliveries",
		"/devices/removed",
		"/run/places",
		"/run/people",
		"/run/teams",
		"/run/audit",
		"/run/audit/export",
		"/run/audit/export?format=json",
		"/me",
		"/search?q=zq",
		"/find/new",
		"/run/places/new",
		"/run/people/new",
		"/run/teams/new",
	}
	for n := 1; n <= thicketDevices+5; n++ {
		for _, p := range paths {
			queue = append(queue, fmt.Sprintf(p, n))
		}
	}
	seen, count := map[string]bool{}, map[string]int{}
	for len(queue) > 0 {
		address := strings.ReplaceAll(queue[0], "&amp;", "&")
		queue = queue[1:]
		if seen[address] || strings.HasPrefix(address, "/static/") || len(seen) > 700 {
			continue
		}
		seen[address] = true
		status, body, _ := get(t, c, w.r.url+address)
		assert.Less(t, status, 500, address)
		assert.Empty(t, secret.FindAllString(body, 3), "%s (%d)", address, status)
		for _, m := range linked.FindAllStringSubmatch(body, -1) {
			if count[shape(m[1])]++; count[shape(m[1])] < 30 {
				queue = append(queue, m[1])
			}
		}
	}
	return len(seen)
}

// ask asks everything that the API describes.
func (w *thicket) ask(t *testing.T, key string, secret *regexp.Regexp) (count int) {
	t.Helper()
	get := func(path string) (int, string) {
		req, err := http.NewRequestWithContext(t.Context(), http.MethodGet, w.r.url+"/api"+path, nil)
		require.NoError(t, err)
		req.Header.Set("Authorization", "Bearer "+key)
		res, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		defer res.Body.Close()
		body, err := io.ReadAll(res.Body)
		require.NoError(t, err)
		count++
		return res.StatusCode, string(body)
	}
	_, described := get("/v1/openapi.json")
	var spec struct {
		Paths map[string]map[string]json.RawMessage
	}
	require.NoError(t, json.Unmarshal([]byte(described), &spec))
	require.Greater(t, len(spec.Paths), 25)
	for path, methods := range spec.Paths {
		if methods["get"] == nil {
			continue
		}
		ids := []int{1}
		if strings.Contains(path, "{id}") {
			for n := 2; n <= thicketDevices+5; n++ {
				ids = append(ids, n)
			}
		}
		for _, id := range ids {
			at := strings.NewReplacer("{id}", fmt.Sprint(id), "{name}", "interfaces", "{revision}", "1").Replace(path)
			status, body := get(at)
			assert.Less(t, status, 500, at)
			assert.Empty(t, secret.FindAllString(body, 3), "%s (%d)", at, status)
		}
	}
	_, body := get("/v1/samples/combined?kit=interfaces&reading=in_errors&top=100")
	assert.Empty(t, secret.FindAllString(body, 3))
	return count
}

// hear listens to live events: of what is outside none may come.
func (w *thicket) hear(t *testing.T, c *http.Client, who access.Actor) {
	t.Helper()
	ctx, cancel := context.WithTimeout(t.Context(), 20*time.Second)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, w.r.url+"/events", nil)
	require.NoError(t, err)
	res, err := c.Do(req)
	require.NoError(t, err)
	defer res.Body.Close()
	lines := bufio.NewScanner(res.Body)
	require.True(t, lines.Scan()) // hello
	seen := who.Scope(domain.AreaWatch, domain.AccessSee)
	want := []string{}
	for _, d := range w.devices {
		w.r.hub.Publish(domain.News{Kind: "drawn", ID: d.ID, At: d.Spot(), Area: domain.AreaWatch})
		if seen.Has(d.Spot()) {
			want = append(want, fmt.Sprintf(`data: {"id":%d,"kind":"drawn"}`, d.ID))
		}
	}
	w.r.hub.Publish(domain.News{Kind: "last"})
	var got []string
	for lines.Scan() && !strings.Contains(lines.Text(), `"last"`) {
		if strings.Contains(lines.Text(), "drawn") {
			got = append(got, lines.Text())
		}
	}
	assert.ElementsMatch(t, want, got)
}
