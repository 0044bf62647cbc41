package fitting_test

import (
	"context"
	"encoding/json"
	"net/netip"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sync/errgroup"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/service/fitting"
	"tirelessowl/internal/store"
	"tirelessowl/internal/testkit"
)

func TestMain(m *testing.M) { testkit.Main(m) }

type world struct {
	*fitting.Service
	db    *store.Store
	kits  *collect.Service
	place domain.Place
	// taken are the devices that were taken up anew.
	taken []domain.ID
}

func setup(t *testing.T) *world {
	t.Helper()
	db := testkit.Store(t)
	w := &world{db: db, kits: testkit.Kits(t, db)}
	require.NoError(t, w.kits.Load(t.Context()))
	w.Service = fitting.New(fitting.Wiring{Store: db, Desk: testkit.Desk(db), Kits: w.kits,
		Changed: func(_ context.Context, ids []domain.ID) error { w.taken = append(w.taken, ids...); return nil }})
	var err error
	w.place, err = db.Places.Save(t.Context(), domain.Place{Name: "North Pier", Kind: domain.Site})
	require.NoError(t, err)
	return w
}

func (w *world) device(t *testing.T, name, kind string, facts ...string) domain.ID {
	t.Helper()
	d := domain.Device{PlaceID: w.place.ID, Name: name, Kind: kind, Address: netip.MustParseAddr("192.0.2.1"), CreatedAt: time.Now()}
	d, err := w.db.Devices.Add(t.Context(), d, "", nil)
	require.NoError(t, err)
	_, err = w.db.Facts.Learn(t.Context(), domain.Find{DeviceID: d.ID, Facts: facts, FoundAt: time.Now()})
	require.NoError(t, err)
	return d.ID
}

func (w *world) fitted(t *testing.T, id domain.ID) (out []string) {
	t.Helper()
	all, err := w.db.Fittings.Of(t.Context(), id)
	require.NoError(t, err)
	for _, f := range all {
		out = append(out, f.Kit)
	}
	return out
}

var snmp = []string{"answers:snmp", "mib:ups"}

func TestARuleFitsKitsAndTakesThemOff(t *testing.T) {
	w := setup(t)
	ctx := t.Context()
	ups, other := w.device(t, "np-ups-1", "ups", snmp...), w.device(t, "np-sw-1", "switch", "answers:snmp")
	draft := domain.FittingRule{Name: " Power  supplies ", When: `"ups" in facts.mibs`, Fits: []string{"ups"}}

	trial, err := w.Try(ctx, testkit.Anyone, draft)
	require.NoError(t, err)
	assert.Equal(t, 1, trial.Holds)
	require.Len(t, trial.Answers, 2)
	assert.Equal(t, "facts.mibs is nothing", trial.Answers[0].Because)
	assert.Equal(t, "facts.mibs is ups", trial.Answers[1].Because)
	require.Len(t, trial.Effects, 1)
	assert.Equal(t, "1 device would be fitted otherwise", trial.Why.Answer)
	assert.Empty(t, w.fitted(t, ups), "trying changes nothing")

	r, err := w.Save(ctx, testkit.Anyone, draft)
	require.NoError(t, err)
	assert.Equal(t, "Power supplies", r.Name)
	assert.Equal(t, []string{"ups"}, w.fitted(t, ups))
	assert.Empty(t, w.fitted(t, other))
	assert.Equal(t, []domain.ID{ups}, w.taken, "only what changed is taken up")
	of, err := w.Of(ctx, testkit.Anyone, ups)
	require.NoError(t, err)
	assert.Equal(t, "Power supplies", of[0].Ruled)

	again, err := w.Refit(ctx)
	require.NoError(t, err)
	assert.Empty(t, again)

	r.When = `kind == "router"`
	_, err = w.Save(ctx, testkit.Anyone, r)
	require.NoError(t, err)
	assert.Empty(t, w.fitted(t, ups))
	_, err = w.Save(ctx, testkit.Anyone, r)
	assert.ErrorIs(t, err, domain.ErrChanged)
}

func TestWhatIsLearntIsFollowed(t *testing.T) {
	w := setup(t)
	ctx := t.Context()
	d := w.device(t, "np-ups-1", "ups", "answers:snmp")
	_, err := w.Save(ctx, testkit.Anyone, domain.FittingRule{Name: "Power", When: "facts.snmp", Fits: []string{"ups"}})
	require.NoError(t, err)
	assert.Empty(t, w.fitted(t, d), "it does not show what the kit needs")

	changed, err := w.db.Facts.Learn(ctx, domain.Find{DeviceID: d, Facts: []string{"mib:ups"}, FoundAt: time.Now()})
	require.NoError(t, err)
	assert.Equal(t, []domain.ID{d}, changed)
	changed, err = w.Refit(ctx, d)
	require.NoError(t, err)
	assert.Equal(t, []domain.ID{d}, changed)
	assert.Equal(t, []string{"ups"}, w.fitted(t, d))

	facts, err := w.db.Facts.Of(ctx, d)
	require.NoError(t, err)
	assert.Equal(t, []string{"answers:snmp", "mib:ups"}, facts[d], "what one sweep does not hear is not forgotten")
	other := domain.Find{DeviceID: d, Facts: []string{"answers:snmp"}, ObjectID: "1.3.6.1.4.1.9", FoundAt: time.Now()}
	_, err = w.db.Facts.Learn(ctx, other)
	require.NoError(t, err)
	facts, err = w.db.Facts.Of(ctx, d)
	require.NoError(t, err)
	assert.Equal(t, []string{"answers:snmp"}, facts[d], "another machine is learnt anew")
}

func TestPeopleGoBeforeRules(t *testing.T) {
	w := setup(t)
	ctx := t.Context()
	d := w.device(t, "np-ups-1", "ups", snmp...)
	_, err := w.Save(ctx, testkit.Anyone, domain.FittingRule{Name: "Power", When: "true", Fits: []string{"ups"}})
	require.NoError(t, err)
	off := fitting.Saying{Devices: []domain.ID{d}, Kit: "ups", Word: fitting.KeepOff}

	trial, err := w.Rehearse(ctx, testkit.Anyone, off)
	require.NoError(t, err)
	require.Len(t, trial.Effects, 1)
	assert.Equal(t, "ups", trial.Effects[0].Loses[0].Kit)
	assert.Positive(t, trial.Lost.Series)

	require.NoError(t, w.Say(ctx, testkit.Named("Ines"), off))
	assert.Empty(t, w.fitted(t, d))
	seats, err := w.Seats(ctx, testkit.Anyone, "ups")
	require.NoError(t, err)
	require.Len(t, seats, 1)
	assert.True(t, seats[0].Off)
	assert.Equal(t, "Ines", seats[0].Who)

	require.NoError(t, w.Say(ctx, testkit.Anyone, fitting.Saying{Devices: []domain.ID{d}, Kit: "ups", Word: fitting.AsRules}))
	assert.Equal(t, []string{"ups"}, w.fitted(t, d))
	require.NoError(t, w.Say(ctx, testkit.Anyone, fitting.Saying{Devices: []domain.ID{d}, Kit: "printer", Word: fitting.Fit}))
	assert.Equal(t, []string{"printer", "ups"}, w.fitted(t, d), "by hand it may be what it needs")
	require.NoError(t, w.Say(ctx, testkit.Anyone, fitting.Saying{Devices: []domain.ID{d}, Kit: "printer", Word: fitting.AsRules}))
	assert.Equal(t, []string{"ups"}, w.fitted(t, d))
}

// What was set on a device comes back with the kit.
func TestParametersOutliveTheRule(t *testing.T) {
	w := setup(t)
	ctx := t.Context()
	d := w.device(t, "np-kiosk-1", "host", "answers:snmp")
	r, err := w.Save(ctx, testkit.Anyone, domain.FittingRule{Name: "Reach", When: "true", Fits: []string{"reachability"}})
	require.NoError(t, err)
	require.NoError(t, w.kits.SetParameters(ctx, testkit.Anyone, d, "reachability", map[string]string{"method": "tcp"}, ""))
	r.Off = true
	r, err = w.Save(ctx, testkit.Anyone, r)
	require.NoError(t, err)
	assert.Empty(t, w.fitted(t, d))
	r.Off = false
	_, err = w.Save(ctx, testkit.Anyone, r)
	require.NoError(t, err)
	all, err := w.db.Fittings.Of(ctx, d)
	require.NoError(t, err)
	require.Len(t, all, 1)
	assert.Equal(t, "tcp", all[0].Parameters["method"])
	assert.Equal(t, domain.ByRule, all[0].By)
}

func TestWhatIsWrongWithARuleIsToldAtItsField(t *testing.T) {
	w := setup(t)
	for field, r := range map[string]domain.FittingRule{
		"name": {When: "true", Fits: []string{"ups"}},
		"when": {Name: "x", When: "facts.snpm", Fits: []string{"ups"}},
		"kits": {Name: "x", When: "true", Fits: []string{"nothing"}},
	} {
		_, err := w.Save(t.Context(), testkit.Anyone, r)
		var errs domain.FieldErrors
		require.ErrorAs(t, err, &errs)
		assert.Contains(t, errs, field)
		assert.Len(t, errs, 1, field)
	}
	both := domain.FittingRule{Name: "x", When: "true", Fits: []string{"ups"}, KeepsOff: []string{"ups"}}
	_, err := w.Save(t.Context(), testkit.Anyone, both)
	require.ErrorContains(t, err, "both fit ups and keep it off")
}

func TestRulesAreOrdered(t *testing.T) {
	w := setup(t)
	ctx := t.Context()
	d := w.device(t, "np-ups-1", "ups", snmp...)
	_, err := w.Save(ctx, testkit.Anyone, domain.FittingRule{Name: "All", When: "true", Fits: []string{"ups"}})
	require.NoError(t, err)
	draft := domain.FittingRule{Name: "Not here", When: `place == "North Pier"`, KeepsOff: []string{"ups"}}
	never, err := w.Save(ctx, testkit.Anyone, draft)
	require.NoError(t, err)
	assert.Equal(t, []string{"ups"}, w.fitted(t, d))
	how := w.Undoing()["order fitting rules"]
	before, err := how.Present(ctx, testkit.Anyone, never.ID)
	require.NoError(t, err)
	require.NoError(t, w.Move(ctx, testkit.Anyone, never.ID, -5))
	document, err := json.Marshal(before)
	require.NoError(t, err)
	require.NoError(t, how.Put(ctx, testkit.Anyone, never.ID, document))
	back, err := how.Present(ctx, testkit.Anyone, never.ID)
	require.NoError(t, err)
	assert.Equal(t, before, back, "it is undone")
	require.NoError(t, w.Move(ctx, testkit.Anyone, never.ID, -5))
	assert.Empty(t, w.fitted(t, d))
	all, err := w.Rules(ctx, testkit.Anyone)
	require.NoError(t, err)
	assert.Equal(t, []string{"Not here", "All"}, []string{all[0].Name, all[1].Name})
	out, err := w.RehearseRemoval(ctx, testkit.Anyone, never.ID)
	require.NoError(t, err)
	assert.Len(t, out.Effects, 1)
	require.NoError(t, w.Remove(ctx, testkit.Anyone, never.ID, 0))
	assert.Equal(t, []string{"ups"}, w.fitted(t, d))
}

func TestKitsInsideOthersAreFitted(t *testing.T) {
	w := setup(t)
	ctx := t.Context()
	d := w.device(t, "np-ups-1", "ups", snmp...)
	const outer = "kit: harbour\ntitle: Harbour\nversion: 1\nkits:\n  - kit: ups\n  - kit: reachability\n    set: {method: tcp}\n"
	_, err := w.kits.Bring(ctx, testkit.Anyone, outer, 0)
	require.NoError(t, err)
	require.NoError(t, w.Say(ctx, testkit.Anyone, fitting.Saying{Devices: []domain.ID{d}, Kit: "harbour", Word: fitting.Fit}))
	assert.Equal(t, []string{"harbour", "reachability", "ups"}, w.fitted(t, d))
	all, err := w.db.Fittings.Of(ctx, d)
	require.NoError(t, err)
	assert.Equal(t, map[string]string{"method": "tcp"}, all[1].Values())

	_, err = w.kits.Bring(ctx, testkit.Anyone, "kit: ups\ntitle: UPS\nversion: 9\nkits: [{kit: harbour}]\n", 0)
	require.ErrorContains(t, err, "in a circle: ups, harbour, ups")
	_, err = w.kits.Bring(ctx, testkit.Anyone, "kit: lone\ntitle: Lone\nversion: 1\nkits: [{kit: nothing}]\n", 0)
	require.ErrorContains(t, err, "there is no kit nothing")
}

func TestWhatWasSaidIsUndone(t *testing.T) {
	w := setup(t)
	ctx := t.Context()
	d := w.device(t, "np-ups-1", "ups", snmp...)
	how := w.Undoing()["fit kits"]
	before, err := how.Present(ctx, testkit.Anyone, d)
	require.NoError(t, err)
	document, err := json.Marshal(before)
	require.NoError(t, err)
	require.NoError(t, w.Say(ctx, testkit.Anyone, fitting.Saying{Devices: []domain.ID{d}, Kit: "ups", Word: fitting.Fit}))
	require.NoError(t, how.Put(ctx, testkit.Anyone, d, document))
	assert.Empty(t, w.fitted(t, d))
}

// A condition that would hold up everything is neither kept nor asked for long.
func TestARuleThatTakesTooLongIsRefused(t *testing.T) {
	w := setup(t)
	w.device(t, "np-sw-1", "switch", "answers:snmp")
	long := "[1,2,3,4,5,6,7,8,9].all(x, "
	r := domain.FittingRule{Name: "Long", Fits: []string{"ups"}, When: strings.Repeat(long, 5) + "name != kind" + strings.Repeat(")", 5)}
	_, err := w.Save(t.Context(), testkit.Anyone, r)
	require.ErrorContains(t, err, "too long to decide about np-sw-1")
	_, err = w.Try(t.Context(), testkit.Anyone, r)
	require.ErrorContains(t, err, "too long to decide about np-sw-1")
	all, err := w.Rules(t.Context(), testkit.Anyone)
	require.NoError(t, err)
	assert.Empty(t, all)
}

// A rule that another release wrote, and that cannot be read, keeps no other from being followed.
func TestARuleThatCannotBeReadStopsNothing(t *testing.T) {
	w := setup(t)
	ctx := t.Context()
	d := w.device(t, "np-ups-1", "ups", snmp...)
	_, err := w.db.FittingRules.Save(ctx, domain.FittingRule{Rank: 1, Name: "Of tomorrow", When: "facts.weather", Fits: []string{"ups"}})
	require.NoError(t, err)
	_, err = w.Save(ctx, testkit.Anyone, domain.FittingRule{Name: "Power", When: "true", Fits: []string{"ups"}})
	require.NoError(t, err)
	assert.Equal(t, []string{"ups"}, w.fitted(t, d))
	all, err := w.Rules(ctx, testkit.Anyone)
	require.NoError(t, err)
	assert.Contains(t, all[0].Problem, "there is no column “facts”")
	assert.Empty(t, all[1].Problem)
}

// Saying something of devices, and setting parameters there, wait for one another and never in a circle.
func TestSayingAndSettingAtOnce(t *testing.T) {
	w := setup(t)
	ctx := t.Context()
	d, other := w.device(t, "np-sw-1", "switch", "answers:snmp"), w.device(t, "np-sw-2", "switch", "answers:snmp")
	both := fitting.Saying{Devices: []domain.ID{other, d}, Kit: "reachability", Word: fitting.Fit}
	require.NoError(t, w.Say(ctx, testkit.Anyone, both))
	var at errgroup.Group
	for i := range 20 {
		at.Go(func() error {
			word := []fitting.Word{fitting.Fit, fitting.KeepOff}[i%2]
			return w.Say(ctx, testkit.Anyone, fitting.Saying{Devices: []domain.ID{d, other}, Kit: "system", Word: word})
		})
		at.Go(func() error {
			method := map[string]string{"method": []string{"udp", "tcp"}[i%2]}
			return w.kits.SetParameters(ctx, testkit.Anyone, []domain.ID{d, other}[i%2], "reachability", method, "")
		})
	}
	require.NoError(t, at.Wait())
}

// What a person fits must have what must be set; what a rule fits waits for it.
func TestWhatMustBeSetIsAskedForOfPeople(t *testing.T) {
	w := setup(t)
	ctx := t.Context()
	_, err := w.kits.Bring(ctx, testkit.Anyone, `kit: clock
title: Clock
version: 1
parameters:
  - {name: form, label: How, required: true}
  - {name: note, hidden: true}
sources:
  - {key: whole, way: snmp, every: 60s, ask: {form: "{form}"}, columns: [{as: up, of: 1.3.6.1.2.1.1.3.0}]}
readings:
  - {key: up, name: Up, source: whole, value: [up]}
`, 0)
	require.NoError(t, err)
	d := w.device(t, "np-kiosk-1", "host", "answers:snmp")
	var errs domain.FieldErrors
	fit := fitting.Saying{Kit: "clock", Word: fitting.Fit, Devices: []domain.ID{d}}
	require.ErrorAs(t, w.Say(ctx, testkit.Anyone, fit), &errs)
	assert.Equal(t, "Must be set, here or at the place of the device.", errs["form"])
	assert.Empty(t, w.fitted(t, d))

	_, err = w.Save(ctx, testkit.Anyone, domain.FittingRule{Name: "Clocks", When: "true", Fits: []string{"clock"}})
	require.NoError(t, err)
	assert.Equal(t, []string{"clock"}, w.fitted(t, d))
	errs = nil
	require.ErrorAs(t, w.kits.SetParameters(ctx, testkit.Anyone, d, "clock", map[string]string{"form": ""}, ""), &errs)
	assert.Contains(t, errs, "form")
	require.NoError(t, w.kits.SetParameters(ctx, testkit.Anyone, d, "clock", map[string]string{"form": "get", "note": "quay"}, ""))
	require.NoError(t, w.kits.SetParameters(ctx, testkit.Anyone, d, "clock", map[string]string{"form": "walk"}, ""))
	all, err := w.db.Fittings.Of(ctx, d)
	require.NoError(t, err)
	assert.Equal(t, map[string]string{"form": "walk", "note": "quay"}, all[0].Parameters, "what no form asks for stays")
}
