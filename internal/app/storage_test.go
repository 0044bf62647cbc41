package app

import (
	"net/netip"
	"net/url"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/config"
	"tirelessowl/internal/core/exchange"
	"tirelessowl/internal/demo"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/service/transfer"
	"tirelessowl/internal/sim"
	"tirelessowl/internal/testkit"
)

func TestStoragePage(t *testing.T) {
	r, _ := world(t)
	c := browser(t)
	r.signIn(t, c, demo.Password)
	for by, want := range map[string]string{
		"kit": "host-resources", "reading": "interfaces / in_errors", "place": "Skerry House", "device": "hq-core-1",
		"nonsense": "host-resources",
	} {
		for _, sort := range []string{"", "name", "-name", "series", "-samples", "used", "-month"} {
			status, body, _ := get(t, c, r.url+"/run/storage?by="+by+"&sort="+sort+"&q="+url.QueryEscape(want))
			assert.Equal(t, 200, status)
			assert.Contains(t, body, want, by)
			assert.Contains(t, body, "bytes with its rollups and indexes")
		}
	}
	_, body, _ := get(t, c, r.url+"/run/storage?by=device&q=HQ-CORE")
	assert.Equal(t, 2, strings.Count(body, "data-row"))
	_, body, _ = get(t, c, r.url+"/run/storage?by=device&q=zzz")
	assert.Contains(t, body, "Nothing fits")
	_, body, _ = get(t, c, r.url+"/find")
	assert.NotContains(t, body, "97")
}

var (
	keptSpan = regexp.MustCompile(`(?s)id="kept-interfaces-in"[^>]*>(.*?)</span>`)
	tags     = regexp.MustCompile(`<[^>]*>`)
)

// keptIn reads for how many days a reading is kept.
func keptIn(t *testing.T, body string) string {
	t.Helper()
	m := keptSpan.FindStringSubmatch(body)
	require.Len(t, m, 2)
	return strings.Join(strings.Fields(tags.ReplaceAllString(m[1], "")), " ")
}

func TestSamplesOfAReadingAreKeptForAnotherTime(t *testing.T) {
	r, _ := world(t)
	c, ctx := browser(t), t.Context()
	r.signIn(t, c, demo.Password)
	_, body, _ := get(t, c, r.url+"/run/storage?by=reading")
	assert.Equal(t, "14 · 365 · 1825 · 7300", keptIn(t, body))
	form := r.url + "/run/storage/keep?kit=interfaces&reading=in"
	_, body, _ = get(t, c, form)
	assert.Contains(t, body, `placeholder="14"`)
	assert.Contains(t, body, "Nothing changes")
	_, body, _ = get(t, c, form+"&points=40&hours=9")
	assert.Contains(t, body, `value="40"`, "the link is the state")
	assert.Contains(t, body, "Nothing goes")
	assert.Contains(t, body, "Rollups of 1 h: 9 days")
	_, body, _ = get(t, c, r.url+"/run/storage/keep?kit=system&reading=description")
	assert.NotContains(t, body, "five_minutes", "texts have no rollups")
	status, _, _ := get(t, c, r.url+"/run/storage/keep?kit=interfaces&reading=wobble")
	assert.Equal(t, 404, status)
	set := func(points, days string) (int, string) {
		return send(
			t,
			c,
			r.url+"/run/storage/keep",
			url.Values{"kit": {"interfaces"}, "reading": {"in"}, "points": {points}, "days": {days}},
		)
	}
	for _, wrong := range []string{"0", "-1", "3651", "soon"} {
		status, body := set(wrong, "900")
		assert.Equal(t, 422, status, wrong)
		assert.Contains(t, body, "from 1 to 3650")
		assert.Contains(t, body, `value="`+wrong+`"`)
		assert.Contains(t, body, `value="900"`, "what was right is not lost")
		_, body, _ = get(t, c, form+"&points="+wrong)
		assert.Contains(t, body, "from 1 to 3650")
	}
	status, _ = post(t, c, r.url+"/run/storage/keep", url.Values{"kit": {"interfaces"}, "reading": {"wobble"}, "points": {"3"}})
	assert.Equal(t, 404, status)
	var rehearsed collect.KeepRehearsal
	assert.Equal(t, 200, r.call(t, "POST", "/samples/keep/interfaces/in/rehearsal", map[string]int{"points": 400, "days": 500}, &rehearsed))
	assert.Positive(t, rehearsed.Series)
	assert.Empty(t, rehearsed.Losses)
	assert.Contains(t, rehearsed.Why.Facts[0].Text, "Single samples: 400 days")
	assert.Equal(t, 422, r.call(t, "POST", "/samples/keep/interfaces/in/rehearsal", map[string]int{"points": 4000}, nil))
	status, body = set(" 400 ", "500")
	assert.Equal(t, 200, status)
	assert.Contains(t, body, "Saved.")
	assert.Contains(t, body, `hx-swap-oob`)
	key := domain.ReadingKey{Kit: "interfaces", Reading: "in"}
	keeps, err := r.Store.Keeps.All(ctx)
	require.NoError(t, err)
	assert.Equal(t, map[domain.ReadingKey]domain.KeepDays{key: {Points: 400, Days: 500}}, keeps)
	_, body, _ = get(t, c, r.url+"/run/storage?by=reading&q=interfaces")
	assert.Equal(t, 1, strings.Count(body, "being applied"))
	settled, err := r.Store.SettleKeeps(ctx)
	require.NoError(t, err)
	assert.Equal(t, 1, settled)
	var class int
	require.NoError(
		t,
		r.Store.Pool().
			QueryRow(ctx, "SELECT min(keep) FROM days d JOIN series s ON s.id = d.series_id WHERE s.kit = 'interfaces' AND "+
				"s.reading = 'in'").
			Scan(&class),
	)
	assert.Equal(t, 400, class, "what is stored lies with what is kept as long")
	_, body, _ = get(t, c, r.url+"/run/storage?by=reading&q=interfaces")
	assert.Equal(t, "400 · 365 · 1825 · 500", keptIn(t, body))
	assert.Contains(t, body, "<strong>400</strong>", "what is not the setting for all stands out")
	assert.NotContains(t, body, "being applied")
	status, _ = set("400", "500")
	assert.Equal(t, 200, status)
	settled, err = r.Store.SettleKeeps(ctx)
	require.NoError(t, err)
	assert.Zero(t, settled, "nothing was changed")
	status, _ = set("", "")
	assert.Equal(t, 200, status)
	keeps, err = r.Store.Keeps.All(ctx)
	require.NoError(t, err)
	assert.Empty(t, keeps, "the setting of all again")
	settled, err = r.Store.SettleKeeps(ctx)
	require.NoError(t, err)
	assert.Equal(t, 1, settled)
	require.NoError(
		t,
		r.Store.Pool().
			QueryRow(ctx, "SELECT max(keep) FROM days d JOIN series s ON s.id = d.series_id WHERE s.kit = 'interfaces' AND "+
				"s.reading = 'in'").
			Scan(&class),
	)
	assert.LessOrEqual(t, class, 0)
}

// The commands work without a running application, on the database that is
// given, and beside one for taking out.
func TestSamplesByCommand(t *testing.T) {
	r, _ := world(t)
	c := r.Config
	c.DatabaseURL = r.Store.Pool().Config().ConnString()
	c.DataDir = t.TempDir()
	sel := transfer.Selection{Device: "log-1", Reading: "cpu", From: time.Now().Add(-2 * time.Hour), To: time.Now()}
	var text strings.Builder
	n, err := ExportSamples(t.Context(), c, exchange.NDJSON, sel, &text)
	require.NoError(t, err)
	assert.Positive(t, n)
	got, err := ImportSamples(t.Context(), c, exchange.NDJSON, strings.NewReader(text.String()), true)
	require.NoError(t, err)
	assert.Equal(t, n, got.Samples)
	_, err = ImportSamples(t.Context(), c, exchange.NDJSON, strings.NewReader(text.String()), false)
	assert.ErrorContains(t, err, "stop it first")
	r.Stop()
	got, err = ImportSamples(t.Context(), c, exchange.NDJSON, strings.NewReader(text.String()), false)
	require.NoError(t, err)
	assert.Equal(t, n, got.Samples)
	_, err = ImportSamples(t.Context(), c, exchange.CSV, strings.NewReader("wrong"), false)
	assert.ErrorContains(t, err, "line 1")
	c.DatabaseURL = "postgres://nobody@127.0.0.1:1/none"
	_, err = ExportSamples(t.Context(), c, exchange.CSV, sel, &text)
	assert.Error(t, err)
}

// The large demo, made small.
func TestLargeDemoLoads(t *testing.T) {
	base, _ := estate(t)
	s := testkit.Store(t)
	a, err := New(config.Config{DataDir: t.TempDir(), DemoPort: 1}, s, nil)
	require.NoError(t, err)
	world := demo.Large{World: demo.World{Store: s, People: a.People, Kits: a.Kits, Community: "c", Port: 161}, Devices: 50, Days: 20}
	world.At = func(i int) netip.Addr { return sim.Offset(base, 200, i+1) }
	require.NoError(t, a.loadLarge(t.Context(), world, func(string, ...any) {}))
	devices, err := s.Devices.All(t.Context())
	require.NoError(t, err)
	assert.Len(t, devices, 50)
	series, err := s.Series.Of(t.Context(), 0)
	require.NoError(t, err)
	require.Len(t, series, 50*22, "2 of reachability, 4 ports × 5")
	for _, x := range series[:22] {
		past, err := s.Values.Of(t.Context(), x.ID, time.Now().AddDate(0, 0, -30), time.Now())
		require.NoError(t, err)
		assert.InDelta(t, 6*96+14*288, len(past), 5, "six days of quarters of an hour, a fortnight of five minutes")
	}
	done, err := s.Settings.Get(t.Context(), settingDone)
	require.NoError(t, err)
	assert.NotEmpty(t, done)
}
