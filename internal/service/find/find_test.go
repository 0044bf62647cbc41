package find_test

import (
	"context"
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/identity"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/service/find"
	"tirelessowl/internal/service/recognition"
	"tirelessowl/internal/store"
	"tirelessowl/internal/testkit"
)

func TestMain(m *testing.M) { testkit.Main(m) }

// network answers as a test wants.
type network struct {
	mu      sync.Mutex
	devices map[string]identity.Answer
	slow    chan struct{} // when set, hellos wait for it
	broken  bool
	says    map[string]string // what addresses say otherwise
	denies  map[string]bool   // those that take no credential
	present map[string]string // what is where nothing else answers
	hellos  int
	echoes  map[string]bool   // what answers an echo; nil where nobody may ask
	ports   map[string]string // open ports, with what greets there
}

func (n *network) Way() string { return "snmp" }

func (n *network) Credential(text domain.Secret) (string, domain.Secrets) {
	return "snmp-v2c", domain.Secrets{"community": text}
}

func (n *network) Hello(ctx context.Context, at netip.AddrPort, c way.Opened, _ time.Duration) identity.Heard {
	if n.slow != nil {
		select {
		case <-n.slow:
		case <-ctx.Done():
			return identity.Heard{}
		}
	}
	n.mu.Lock()
	defer n.mu.Unlock()
	n.hellos++
	address := at.Addr().String()
	if n.denies[address] {
		return identity.Heard{Denied: true, Said: "an engine that does not take " + c.Secrets["community"].Reveal()}
	}
	_, ok := n.devices[address]
	return identity.Heard{Answers: ok && c.Secrets["community"].Reveal() == "right", Said: n.says[address]}
}

func (n *network) Present(_ context.Context, at netip.AddrPort, _ time.Duration) string {
	n.mu.Lock()
	defer n.mu.Unlock()
	return n.present[at.Addr().String()]
}

func (n *network) Learn(_ context.Context, at netip.AddrPort, _ way.Opened) (identity.Answer, error) {
	if n.broken {
		return identity.Answer{}, errors.New("tooBig")
	}
	a := n.devices[at.Addr().String()]
	if a.Name == "panics" {
		panic("an answer that nobody thought of")
	}
	a.Address = at.Addr()
	return a, nil
}

func (n *network) MayEcho() bool { return n.echoes != nil }

func (n *network) Echo(_ context.Context, a netip.Addr, _ time.Duration) (time.Duration, error) {
	if n.echoes[a.String()] {
		return 1500 * time.Microsecond, nil
	}
	return 0, errors.New("silence")
}

func (n *network) Greets(_ context.Context, at netip.AddrPort, _ time.Duration) (bool, string) {
	greeting, open := n.ports[at.String()]
	return open, greeting
}

func answer(name, engine string) identity.Answer {
	return identity.Answer{
		Responder:   identity.Responder{Name: name, EngineID: engine, ObjectID: "1.3.6.1.4.1.32473.9.1"},
		Description: "a router",
		Parts:       map[string]int{"interface": 3},
		Facts:       []string{"answers:snmp", "mib:interfaces"},
	}
}

type world struct {
	*find.Service
	store   *store.Store
	network *network
	adopted []domain.ID
}

func setup(t *testing.T) *world {
	t.Helper()
	return serve(t, testkit.Store(t), &network{devices: map[string]identity.Answer{}})
}

// restarted is the world after the program ended and began again.
func (w *world) restarted(t *testing.T) *world {
	t.Helper()
	return serve(t, w.store, w.network)
}

func serve(t *testing.T, s *store.Store, n *network) *world {
	t.Helper()
	w := &world{store: s, network: n}
	known, err := recognition.New(s, testkit.Desk(s), []byte(`
rules: [{when: 'object_id == "1.3.6.1.4.1.32473.9.1"', vendor: Brackwater Networks, model: BR-240, kind: router}]`))
	require.NoError(t, err)
	w.Service = find.New(
		s,
		testkit.Desk(s),
		act.NewSheets(s),
		testkit.Kits(t, s),
		w.network,
		w.network,
		known,
		func(domain.Sweep) {},
		func(_ context.Context, id domain.ID) error { w.adopted = append(w.adopted, id); return nil },
	)
	t.Cleanup(w.Close)
	return w
}

func draft(ranges string) find.Draft {
	return find.Draft{Name: "pier", Ranges: ranges, Port: 161, Pace: 20_000, Community: "right"}
}

// sweep makes and runs a sweep to its end.
func (w *world) sweep(t *testing.T, d find.Draft) (domain.Sweep, []domain.Find) {
	t.Helper()
	made, err := w.Create(t.Context(), testkit.Anyone, d)
	require.NoError(t, err)
	require.NoError(t, w.Start(t.Context(), testkit.Anyone, made.ID))
	return w.finish(t, made.ID)
}

func (w *world) finish(t *testing.T, id domain.ID) (domain.Sweep, []domain.Find) {
	t.Helper()
	var out domain.Sweep
	require.Eventually(t, func() bool {
		var err error
		out, err = w.Sweep(t.Context(), testkit.Anyone, id)
		return err == nil && out.State != domain.SweepRunning
	}, 20*time.Second, 20*time.Millisecond)
	finds, err := w.Finds(t.Context(), testkit.Anyone, id)
	require.NoError(t, err)
	return out, finds
}

func TestDraftsAreChecked(t *testing.T) {
	for name, c := range map[string]struct {
		change func(*find.Draft)
		field  string
	}{
		"no name":            {func(d *find.Draft) { d.Name = "  " }, "name"},
		"long name":          {func(d *find.Draft) { d.Name = strings.Repeat("x", 201) }, "name"},
		"nothing to try":     {func(d *find.Draft) { d.Ranges = "" }, "ranges"},
		"reversed":           {func(d *find.Draft) { d.Ranges = "192.0.2.9-192.0.2.1" }, "ranges"},
		"too many":           {func(d *find.Draft) { d.Ranges = "0.0.0.0/1" }, "ranges"},
		"bad exclusion":      {func(d *find.Draft) { d.Exclude = "x" }, "exclude"},
		"all left out":       {func(d *find.Draft) { d.Exclude = d.Ranges }, "exclude"},
		"port":               {func(d *find.Draft) { d.Port = 70_000 }, "port"},
		"pace":               {func(d *find.Draft) { d.Pace = find.MaxPace + 1 }, "pace"},
		"negative pace":      {func(d *find.Draft) { d.Pace = -1 }, "pace"},
		"without credential": {func(d *find.Draft) { d.Community = "" }, "credentials"},
	} {
		d := draft("192.0.2.0/24")
		c.change(&d)
		_, errs := d.Check()
		assert.Contains(t, errs, c.field, name)
		assert.Len(t, errs, 1, name)
	}
	d := draft("192.0.2.0/24")
	d.Name, d.Pace = strings.Repeat("x", 120), 20_000
	_, errs := d.Check()
	assert.Empty(t, errs, "the most that is allowed")
	d.Pace = 1
	_, errs = d.Check()
	assert.Empty(t, errs, "the least")
	d.Exclude = "192.0.2.0/25"
	total, errs := d.Check()
	assert.Empty(t, errs)
	assert.Equal(t, int64(128), total)
}

func TestPaceFollowsTheNetwork(t *testing.T) {
	for ranges, want := range map[string]int{
		"127.0.0.0/16": find.LoopbackPace, "192.0.2.0/24": find.DefaultPace, "127.0.0.1, 192.0.2.1": find.DefaultPace,
	} {
		d := draft(ranges)
		d.Pace = 0
		_, errs := d.Check()
		assert.Empty(t, errs)
		assert.Equal(t, want, d.Pace, ranges)
	}
}

func TestSeveralAddressesAreOneFind(t *testing.T) {
	w := setup(t)
	w.network.devices["192.0.2.7"] = answer("edge", "aa")
	w.network.devices["192.0.2.3"] = answer("edge", "aa")
	w.network.devices["192.0.2.5"] = answer("switch", "bb")
	sweep, finds := w.sweep(t, draft("192.0.2.0/28"))
	assert.Equal(t, domain.SweepDone, sweep.State)
	assert.Equal(t, int64(16), sweep.Tried)
	assert.Equal(t, int64(2), sweep.Found)
	require.Len(t, finds, 2)
	assert.Equal(t, "192.0.2.3", finds[0].Address)
	assert.Equal(t, []string{"192.0.2.7"}, finds[0].Others)
	assert.Equal(t, "Brackwater Networks BR-240 router", finds[0].Vendor+" "+finds[0].Model+" "+finds[0].Kind)
}

func TestSecondCredentialIsTried(t *testing.T) {
	w := setup(t)
	w.network.devices["192.0.2.1"] = answer("edge", "aa")
	wrong, err := w.store.Credentials.Add(
		t.Context(),
		domain.Credential{Name: "old", Kind: "snmp-v2c", Ranges: "192.0.2.0/24, 127.0.0.0/8"},
		domain.Secrets{"community": "wrong"},
	)
	require.NoError(t, err)
	d := draft("192.0.2.1")
	d.CredentialIDs, d.NewName = []domain.ID{wrong.ID}, "old"
	_, finds := w.sweep(t, d)
	require.Len(t, finds, 1)
	assert.NotEqual(t, wrong.ID, finds[0].CredentialID)
	have, err := w.store.Credentials.All(t.Context())
	require.NoError(t, err)
	assert.Equal(t, "old 2", have[1].Name, "a name that is taken is counted on")
	d.CredentialIDs = []domain.ID{999}
	_, err = w.Create(t.Context(), testkit.Anyone, d)
	assert.ErrorContains(t, err, "no credential 999")
}

func TestStopKeepsWhatWasFound(t *testing.T) {
	w := setup(t)
	w.network.slow = make(chan struct{})
	made, err := w.Create(t.Context(), testkit.Anyone, draft("192.0.2.0/24"))
	require.NoError(t, err)
	require.NoError(t, w.Start(t.Context(), testkit.Anyone, made.ID))
	assert.ErrorIs(t, w.Start(t.Context(), testkit.Anyone, made.ID), domain.ErrConflict)
	require.NoError(t, w.Stop(t.Context(), testkit.Anyone, made.ID))
	sweep, _ := w.finish(t, made.ID)
	assert.Equal(t, domain.SweepStopped, sweep.State)
	assert.Zero(t, sweep.Tried)
	require.NoError(t, w.Delete(t.Context(), testkit.Anyone, made.ID))
	assert.ErrorIs(t, w.Start(t.Context(), testkit.Anyone, made.ID), domain.ErrNotFound)
}

func TestADeviceThatCannotTellIsFoundAllTheSame(t *testing.T) {
	w := setup(t)
	w.network.devices["192.0.2.1"] = answer("edge", "aa")
	w.network.broken = true
	_, finds := w.sweep(t, draft("192.0.2.1"))
	require.Len(t, finds, 1)
	assert.Contains(t, finds[0].Description, "tooBig")
}

func TestOffersCostWhatThePlaceSays(t *testing.T) {
	w, ctx := setup(t), t.Context()
	w.network.devices["192.0.2.1"] = answer("edge-1", "e1")
	_, finds := w.sweep(t, draft("192.0.2.0/29"))
	usual, err := w.Offers(ctx, finds, 0)
	require.NoError(t, err)
	slow, err := w.store.Places.Save(ctx, domain.Place{Name: "Slow", Kind: domain.Organisation})
	require.NoError(t, err)
	require.NoError(t, w.store.Overrides.Set(ctx, domain.Override{PlaceID: slow.ID, Key: domain.SettingStretch, Value: "2"}, 0))
	there, err := w.Offers(ctx, finds, slow.ID)
	require.NoError(t, err)
	for i, o := range there {
		assert.InDelta(t, usual[i].Cost.SamplesPerDay/2, o.Cost.SamplesPerDay, 1e-6, "half as often there")
	}
}

func TestAdopt(t *testing.T) {
	w, ctx := setup(t), t.Context()
	for i := 1; i <= 3; i++ {
		w.network.devices[fmt.Sprintf("192.0.2.%d", i)] = answer(fmt.Sprintf("edge-%d", i), fmt.Sprint("e", i))
	}
	sweep, finds := w.sweep(t, draft("192.0.2.0/29"))
	offers, err := w.Offers(t.Context(), finds, 0)
	require.NoError(t, err)
	by := map[string]find.Offer{}
	for _, o := range offers {
		by[o.Name] = o
	}
	assert.Equal(t, 3, by["interfaces"].Fits)
	assert.Equal(t, 45, by["interfaces"].Cost.Series, "3 devices × 3 interfaces × 5 readings")
	assert.Zero(t, by["host-resources"].Fits)
	assert.Empty(t, by["interfaces"].Uncounted)
	assert.Equal(t, []string{"Disks"}, by["disk-io"].Uncounted, "a sweep does not count them")
	single, err := w.Offers(t.Context(), finds[:1], 0)
	require.NoError(t, err)
	assert.NotEmpty(t, single[0].Why.Facts)

	for name, c := range map[string]struct {
		in    find.Adoption
		field string
	}{
		"nothing selected": {find.Adoption{NewPlace: "Pier"}, "find_ids"},
		"no place":         {find.Adoption{FindIDs: []domain.ID{finds[0].ID}}, "place"},
		"unknown find":     {find.Adoption{FindIDs: []domain.ID{999}, NewPlace: "Pier"}, "find_ids"},
		"no tag":           {find.Adoption{FindIDs: []domain.ID{finds[0].ID}, NewPlace: "Pier", Tags: "a=b"}, "tags"},
		"unknown kit":      {find.Adoption{FindIDs: []domain.ID{finds[0].ID}, NewPlace: "Pier", Kits: []string{"x"}}, "kits"},
	} {
		_, err := w.Adopt(ctx, testkit.Anyone, sweep.ID, c.in)
		var fields domain.FieldErrors
		require.ErrorAs(t, err, &fields, name)
		assert.Contains(t, fields, c.field, name)
	}
	made, err := w.Adopt(
		ctx,
		testkit.Anyone,
		sweep.ID,
		find.Adoption{
			FindIDs:     []domain.ID{finds[0].ID, finds[1].ID},
			NewPlace:    "Pier",
			Kits:        []string{"reachability", "interfaces"},
			GatewayFind: finds[0].ID,
		},
	)
	require.NoError(t, err)
	require.Len(t, made, 2)
	assert.Len(t, w.adopted, 2, "collecting begins")
	places, err := w.store.Places.All(ctx)
	require.NoError(t, err)
	require.Len(t, places, 2, "the place, and the organisation that the first one lies below")
	assert.Equal(t, places[0].ID, places[1].ParentID)
	overrides, err := w.store.Overrides.All(ctx)
	require.NoError(t, err)
	assert.Equal(t, []domain.Override{{PlaceID: places[1].ID, Key: domain.SettingGateway, Value: fmt.Sprint(made[0].ID)}}, overrides)
	endpoints, err := w.store.Endpoints.Of(ctx, made[1].ID)
	require.NoError(t, err)
	require.Len(t, endpoints, 1)
	assert.Equal(t, "snmp", endpoints[0].Way)
	assert.Equal(t, "161", endpoints[0].Settings["port"])
	assert.Equal(t, finds[1].CredentialID, endpoints[0].CredentialID)
	fitted, err := w.store.Fittings.Of(ctx, made[0].ID)
	require.NoError(t, err)
	assert.Len(t, fitted, 2)

	// A name that is taken: nothing at all is adopted.
	w.network.devices["192.0.2.5"] = answer("edge-1", "other")
	_, again := w.sweep(t, draft("192.0.2.0/29"))
	var fresh []domain.ID
	for _, f := range again {
		if f.Verdict == domain.FindNew {
			fresh = append(fresh, f.ID)
		}
	}
	require.Len(t, fresh, 2, "edge-3 and the other edge-1; the rest is known")
	_, err = w.Adopt(ctx, testkit.Anyone, again[0].SweepID, find.Adoption{FindIDs: fresh, PlaceID: places[0].ID})
	assert.ErrorContains(t, err, "names are unique")
	devices, err := w.store.Devices.All(ctx)
	require.NoError(t, err)
	assert.Len(t, devices, 2)
	verdict := func() domain.Verdict {
		all, err := w.Finds(ctx, testkit.Anyone, again[0].SweepID)
		require.NoError(t, err)
		i := slices.IndexFunc(all, func(f domain.Find) bool { return f.ID == fresh[0] })
		return all[i].Verdict
	}
	require.NoError(t, w.Ignore(ctx, testkit.Anyone, again[0].SweepID, fresh[:1], true))
	assert.Equal(t, domain.FindIgnored, verdict())
	require.NoError(t, w.Ignore(ctx, testkit.Anyone, again[0].SweepID, fresh[:1], false))
	assert.Equal(t, domain.FindNew, verdict())
	assert.Error(t, w.Ignore(ctx, testkit.Anyone, again[0].SweepID, []domain.ID{fresh[0], 999}, true))
	assert.Equal(t, domain.FindNew, verdict(), "all of them or none")
}

// What is of this machine, link-local or multicast is not swept, unless that is allowed, as
// the loopback is here.
func TestWhatIsNotForUsIsNotSwept(t *testing.T) {
	w := setup(t)
	for ranges, problem := range map[string]string{
		"169.254.169.254":               "169.254.169.254 is link-local",
		"192.0.2.1, 224.0.0.0/30":       "224.0.0.0 is multicast",
		"0.0.0.0-0.0.0.9":               "0.0.0.0 is no address of a device",
		"::1":                           "::1 is this machine itself",
		"192.0.2.1, ::ffff:169.254.0.1": "169.254.0.1 is link-local",
	} {
		_, err := w.Create(t.Context(), testkit.Anyone, draft(ranges))
		var fields domain.FieldErrors
		require.ErrorAs(t, err, &fields, ranges)
		assert.Contains(t, fields["ranges"], problem, ranges)
	}
	d := draft("223.255.255.254-224.0.0.1")
	d.Exclude = "224.0.0.0/4"
	_, err := w.Create(t.Context(), testkit.Anyone, d)
	require.NoError(t, err, "what is left out is not swept")
	_, err = w.Create(t.Context(), testkit.Anyone, draft("127.9.9.9"))
	require.NoError(t, err)
}

// A device that says anything at all is found among the others, and adopted.
func TestAHostileDeviceIsOneOfMany(t *testing.T) {
	w := setup(t)
	place, err := w.store.Places.Save(t.Context(), domain.Place{Name: "Kittiwake Line", Kind: domain.Organisation})
	require.NoError(t, err)
	w.network.devices["192.0.2.1"] = answer("gr-sw-1", "01")
	hostile := answer(strings.Repeat("x\x00\xff\n", 20_000), strings.Repeat("80", 6000))
	hostile.Description, hostile.Location = strings.Repeat("\x1b[31m\x00", 10_000), "\xff\xfe"
	hostile.Parts = map[string]int{"interface": 1 << 31}
	w.network.devices["192.0.2.2"] = hostile
	w.network.devices["192.0.2.3"] = answer("panics", "03")
	sweep, finds := w.sweep(t, draft("192.0.2.0/29"))
	assert.Equal(t, domain.SweepDone, sweep.State)
	assert.Equal(t, int64(8), sweep.Tried)
	require.Len(t, finds, 2)
	ids := []domain.ID{finds[0].ID, finds[1].ID}
	adoption := find.Adoption{FindIDs: ids, PlaceID: place.ID, Kits: []string{"interfaces"}}
	made, err := w.Adopt(t.Context(), testkit.Anyone, sweep.ID, adoption)
	require.NoError(t, err)
	assert.Len(t, made, 2)
	for _, d := range made {
		assert.LessOrEqual(t, len(d.Name), 200)
		assert.NotContains(t, d.Name+d.Description, "\x1b")
	}
}
