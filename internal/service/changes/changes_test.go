package changes_test

import (
	"context"
	"encoding/json"
	"net/netip"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/rule/kinds"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/changes"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/service/fitting"
	"tirelessowl/internal/service/judge"
	"tirelessowl/internal/service/settings"
	"tirelessowl/internal/store"
	"tirelessowl/internal/testkit"
)

func TestMain(m *testing.M) { testkit.Main(m) }

type world struct {
	*changes.Service
	db      *store.Store
	kits    *collect.Service
	fitting *fitting.Service
	judge   *judge.Service
	set     *settings.Service
	pier    domain.Place
	device  domain.Device
	// taken are the devices that were taken up anew, in turns; judged counts how often rules were.
	taken  [][]domain.ID
	judged int
}

func setup(t testing.TB) *world {
	t.Helper()
	ctx, db := t.Context(), testkit.Store(t)
	w := &world{db: db, kits: testkit.Kits(t, db)}
	require.NoError(t, w.kits.Load(ctx))
	desk := testkit.Desk(db)
	taken := func(_ context.Context, ids []domain.ID) error { w.taken = append(w.taken, ids); return nil }
	w.fitting = fitting.New(fitting.Wiring{Store: db, Desk: desk, Kits: w.kits, Changed: taken})
	w.judge = judge.New(db, desk, w.kits, kinds.All, func(context.Context, []rule.Rule) { w.judged++ })
	w.kits.Judged = w.judge.InForce
	w.set = settings.New(db, desk, w.kits, taken)
	w.Service = changes.New(changes.Wiring{Store: db, Desk: desk, Kits: w.kits, Fitting: w.fitting, Judge: w.judge, Settings: w.set})
	var err error
	w.pier, err = db.Places.Save(ctx, domain.Place{Name: "North Pier", Kind: domain.Site})
	require.NoError(t, err)
	w.device, err = db.Devices.Add(ctx, domain.Device{PlaceID: w.pier.ID, Name: "np-ups-1", Kind: "ups",
		Address: netip.MustParseAddr("192.0.2.1"), CreatedAt: time.Now()}, "", nil)
	require.NoError(t, err)
	return w
}

const tide = `kit: tide
title: Tide
version: 1
sources:
  - key: whole
    way: snmp
    every: 60s
    ask: {form: get}
    columns:
      - {as: level, of: 1.3.6.1.4.1.99999.1.0}
readings:
  - key: level
    name: Water level
    unit: "%"
    source: whole
    value: [level]
rules:
  - key: high
    name: Water is high
    reading: level
    limit:
      side: above
      levels:
        warning: {at: 90, recover: 80}
      for: 1 values
      recover_for: 1 values
`

const low = `{"side":"below","levels":{"warning":{"at":5,"recover":10}},"for":"1 values","recover_for":"1 values"}`

var gauges = domain.FittingRule{Name: "Tide gauges", When: `kind == "ups"`, Fits: []string{"tide"}}

// whole is a set with one of each: a new kit, a rule that fits it, a rule that judges it, and an interval.
func (w *world) whole() []domain.Edit {
	return []domain.Edit{
		{Rule: &domain.RuleEdit{Kit: "tide", Reading: "level", Name: "Water is low", Kind: "limit", Enabled: true,
			Condition: json.RawMessage(low)}},
		{Setting: &domain.SettingEdit{PlaceID: w.pier.ID, Key: "every:tide:whole", Value: "2m"}},
		{FittingRule: &domain.FittingRuleEdit{FittingRule: gauges}},
		{Kit: &domain.KitEdit{Kit: "tide", Document: tide}},
	}
}

func (w *world) gathered(t *testing.T, edits ...domain.Edit) domain.ChangeSet {
	t.Helper()
	c, err := w.Begin(t.Context(), testkit.Anyone, domain.ChangeSet{Name: "Spring tide", Reason: "The quay was flooded", Edits: edits})
	require.NoError(t, err)
	return c
}

func (w *world) every(t *testing.T) string {
	t.Helper()
	value, _, err := w.set.Here(t.Context(), testkit.Anyone, inherit.Place(w.pier.ID), "every:tide:whole")
	if err != nil {
		return err.Error()
	}
	return value
}

// What is gathered may name one another, in whatever order: all of it is told, applied and taken back at once.
func TestChangesAreToldAppliedAndRolledBackTogether(t *testing.T) {
	w, ctx := setup(t), t.Context()
	c := w.gathered(t, w.whole()...)
	p, err := w.Rehearse(ctx, testkit.Anyone, c.ID)
	require.NoError(t, err)
	assert.Zero(t, p.Wrong, p.Told)
	assert.Equal(t, 1, p.Gained)
	require.Len(t, p.Devices, 1)
	assert.Equal(t, "tide", p.Devices[0].Gains[0].Kit)
	// A sample each 2 min, as is set with it: 720 a day.
	assert.InDelta(t, 720, p.After.SamplesPerDay, 1e-9)
	assert.Len(t, p.Alerts, 2, "one of people, one of the kit")
	_, err = w.kits.Kit("tide")
	require.ErrorIs(t, err, domain.ErrNotFound, "nothing acts yet")
	assert.Empty(t, w.taken)

	applied, err := w.Apply(ctx, testkit.Anyone, c.ID, c.Version)
	require.NoError(t, err)
	assert.Equal(t, domain.Applied, applied.State)
	assert.Equal(t, [][]domain.ID{{w.device.ID}}, w.taken, "one switch at the end")
	assert.Equal(t, 1, w.judged)
	assert.Equal(t, "2m", w.every(t))
	rules, err := w.judge.Rules(ctx, testkit.Anyone)
	require.NoError(t, err)
	assert.Len(t, of(rules, "tide"), 2)
	entries, err := w.db.Audit.Find(ctx, domain.EntryFilter{ChangeSet: c.ID, Limit: 20})
	require.NoError(t, err)
	assert.Len(t, entries, 5, "each by itself, and the set")
	for _, e := range entries {
		assert.Equal(t, "The quay was flooded", e.Reason)
	}
	_, err = w.Apply(ctx, testkit.Anyone, c.ID, 0)
	assert.ErrorIs(t, err, domain.ErrConflict, "it is in force already")

	r, err := w.RehearseRollback(ctx, testkit.Anyone, c.ID)
	require.NoError(t, err)
	assert.Empty(t, r.Conflicts)
	assert.Zero(t, r.Wrong, r.Told)
	assert.Equal(t, 1, r.Lost)
	back, err := w.RollBack(ctx, testkit.Anyone, c.ID, false, "It was a drill")
	require.NoError(t, err)
	_, err = w.kits.Kit("tide")
	assert.ErrorIs(t, err, domain.ErrNotFound)
	fitted, err := w.db.Fittings.Of(ctx, w.device.ID)
	require.NoError(t, err)
	assert.Empty(t, fitted)
	rules, err = w.judge.Rules(ctx, testkit.Anyone)
	require.NoError(t, err)
	assert.Empty(t, of(rules, "tide"))

	_, err = w.RollBack(ctx, testkit.Anyone, c.ID, false, "")
	assert.ErrorIs(t, err, domain.ErrConflict, "it was taken back already")
	_, err = w.RollBack(ctx, testkit.Anyone, back.ID, false, "It was none")
	require.NoError(t, err)
	assert.Equal(t, "2m", w.every(t))
	rules, err = w.judge.Rules(ctx, testkit.Anyone)
	require.NoError(t, err)
	assert.Len(t, of(rules, "tide"), 2, "rules are those of before")
	one, err := w.One(ctx, testkit.Anyone, c.ID)
	require.NoError(t, err)
	assert.Zero(t, one.RolledBack, "what took it back was taken back itself")
}

func of(rules []rule.Rule, kit string) (out []rule.Rule) {
	for _, r := range rules {
		if r.Kit == kit {
			out = append(out, r)
		}
	}
	return out
}

// What is tried with a change that cannot be done goes with it: a kit whose file names another one is not there for
// the rule that would fit that.
func TestWhatCannotBeDoneLeavesNothingBehind(t *testing.T) {
	w, ctx := setup(t), t.Context()
	rule := gauges
	rule.Fits = []string{"tide"}
	p, err := w.RehearseEdits(ctx, testkit.Anyone, []domain.Edit{
		{Kit: &domain.KitEdit{Kit: "ebb", Document: tide}},
		{FittingRule: &domain.FittingRuleEdit{FittingRule: rule}},
		{Setting: &domain.SettingEdit{PlaceID: w.pier.ID, Key: "every:ups:whole", Value: "2m"}},
	})
	require.NoError(t, err)
	assert.Equal(t, 2, p.Wrong)
	assert.Contains(t, p.Told[0].Problem, "names the kit tide, and not ebb")
	assert.Contains(t, p.Told[1].Problem, "There is no kit tide")
	assert.Empty(t, p.Told[2].Problem)
	all, err := w.db.Kits.Newest(ctx)
	require.NoError(t, err)
	for _, v := range all {
		assert.NotEqual(t, "tide", v.Kit)
	}
}

// One change that cannot be done keeps all of them from it, is told with its reason, and the others are told
// without it.
func TestAllOrNothing(t *testing.T) {
	w, ctx := setup(t), t.Context()
	edits := append(w.whole(), domain.Edit{Setting: &domain.SettingEdit{PlaceID: w.pier.ID, Key: "every:ups:whole", Value: "soon"}})
	c := w.gathered(t, edits...)
	p, err := w.Rehearse(ctx, testkit.Anyone, c.ID)
	require.NoError(t, err)
	assert.Equal(t, 1, p.Wrong)
	assert.Contains(t, p.Told[4].Problem, "Write how often")
	assert.Equal(t, 1, p.Gained)
	_, err = w.Apply(ctx, testkit.Anyone, c.ID, 0)
	var errs domain.FieldErrors
	require.ErrorAs(t, err, &errs)
	assert.Contains(t, errs["edits.4"], "Write how often")
	_, err = w.kits.Kit("tide")
	assert.ErrorIs(t, err, domain.ErrNotFound)
	rules, err := w.db.FittingRules.All(ctx)
	require.NoError(t, err)
	assert.Empty(t, rules)
	assert.Empty(t, w.taken)
}

// Somebody else was faster: that is told, and replaced only knowingly. What was changed again since it was
// applied stays when the rest is rolled back.
func TestOthersChangeTheSame(t *testing.T) {
	w, ctx := setup(t), t.Context()
	_, err := w.kits.Bring(ctx, testkit.Anyone, tide, 0)
	require.NoError(t, err)
	second := strings.Replace(tide, "Water level", "Level", 1)
	c := w.gathered(t, domain.Edit{Kit: &domain.KitEdit{Kit: "tide", Document: second, Base: 1}},
		domain.Edit{Setting: &domain.SettingEdit{PlaceID: w.pier.ID, Key: "every:tide:whole", Value: "2m"}})
	_, err = w.kits.Bring(ctx, testkit.Named("marek"), strings.Replace(tide, "title: Tide", "title: Tides", 1), 1)
	require.NoError(t, err)
	p, err := w.Rehearse(ctx, testkit.Anyone, c.ID)
	require.NoError(t, err)
	assert.Equal(t, "Somebody else has changed it since you did.", p.Told[0].Problem)
	c, err = w.Renew(ctx, testkit.Anyone, c.ID, 0, c.Version)
	require.NoError(t, err)
	_, err = w.Apply(ctx, testkit.Anyone, c.ID, c.Version)
	require.NoError(t, err)

	third := settings.Typed{At: inherit.Place(w.pier.ID), Key: "every:tide:whole", Value: "3m"}
	require.NoError(t, w.set.Set(ctx, testkit.Named("marek"), third))
	r, err := w.RehearseRollback(ctx, testkit.Anyone, c.ID)
	require.NoError(t, err)
	require.Len(t, r.Conflicts, 1)
	assert.Equal(t, []string{"2m → 3m"}, r.Conflicts[0].Now)
	_, err = w.RollBack(ctx, testkit.Anyone, c.ID, false, "")
	assert.ErrorIs(t, err, domain.ErrConflict)
	_, err = w.RollBack(ctx, testkit.Anyone, c.ID, true, "")
	require.NoError(t, err)
	assert.Equal(t, "3m", w.every(t), "it stays")
	k, err := w.kits.Kit("tide")
	require.NoError(t, err)
	assert.Equal(t, []string{"Tides", "Water level"}, []string{k.Title, k.Readings[0].Name}, "as it was before, with what marek did")
}

func TestGatheringChecksAndReplaces(t *testing.T) {
	w, ctx := setup(t), t.Context()
	_, err := w.Gather(ctx, testkit.Anyone, 0, domain.Edit{Kit: &domain.KitEdit{Kit: "tide", Document: "kit: tide"}})
	assert.ErrorContains(t, err, "title")
	_, err = w.Gather(ctx, testkit.Anyone, 0, domain.Edit{})
	assert.ErrorContains(t, err, "exactly one")
	_, err = w.Begin(ctx, testkit.Anyone, domain.ChangeSet{Edits: []domain.Edit{w.whole()[3], w.whole()[3]}})
	assert.ErrorContains(t, err, "the same thing")
	_, open, err := w.Open(ctx, testkit.Anyone)
	require.NoError(t, err)
	assert.False(t, open, "nothing is begun for what is wrong")

	c, err := w.Gather(ctx, testkit.Anyone, 0, domain.Edit{Kit: &domain.KitEdit{Kit: "tide", Document: tide}})
	require.NoError(t, err)
	next := domain.KitEdit{Kit: "tide", Document: strings.Replace(tide, "Tide", "Tides", 1)}
	c, err = w.Gather(ctx, testkit.Anyone, 0, domain.Edit{Kit: &next})
	require.NoError(t, err)
	assert.Len(t, c.Edits, 1, "it takes the place of the one before")
	c, err = w.Gather(ctx, testkit.Anyone, c.ID, w.whole()[2])
	require.NoError(t, err, "it names what is gathered only")
	c, err = w.Leave(ctx, testkit.Anyone, c.ID, 0, c.Version)
	require.NoError(t, err)
	p, err := w.Rehearse(ctx, testkit.Anyone, c.ID)
	require.NoError(t, err)
	assert.Contains(t, p.Told[0].Problem, "There is no kit tide", "the one that it needed was left out")
	require.NoError(t, w.Discard(ctx, testkit.Anyone, c.ID, 0))
	_, err = w.One(ctx, testkit.Anyone, c.ID)
	assert.ErrorIs(t, err, domain.ErrNotFound)
}

// A set is its author's: others neither change nor apply it, and who may do nothing gathers nothing. Each change
// asks for its own right when it is applied.
func TestOthersKeepTheirHandsOff(t *testing.T) {
	w, ctx := setup(t), t.Context()
	c := w.gathered(t, w.whole()...)
	other := access.Actor{Kind: access.Person, ID: 9, Name: "runa", Sheet: access.Unbounded("test")}
	_, err := w.Apply(ctx, other, c.ID, 0)
	assert.ErrorIs(t, err, domain.ErrNotFound)
	_, err = w.Leave(ctx, other, c.ID, 0, 0)
	assert.ErrorIs(t, err, domain.ErrNotFound)
	assert.ErrorIs(t, w.Discard(ctx, other, c.ID, 0), domain.ErrNotFound)
	nobody := access.Actor{Kind: access.Person, ID: 10, Name: "guest"}
	_, err = w.One(ctx, nobody, c.ID)
	assert.ErrorIs(t, err, domain.ErrNotFound)
	_, err = w.Gather(ctx, nobody, 0, w.whole()[3])
	assert.ErrorIs(t, err, domain.ErrForbidden)
}
