package find_test

import (
	"net/netip"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/find"
	"tirelessowl/internal/testkit"
)

// again runs a sweep once more, to its end.
func (w *world) again(t *testing.T, id domain.ID) map[string]domain.Find {
	t.Helper()
	require.NoError(t, w.Start(t.Context(), testkit.Anyone, id))
	w.finish(t, id)
	w.Close() // waits for what it does then
	out := map[string]domain.Find{}
	all, err := w.store.Finds.Of(t.Context(), id)
	require.NoError(t, err)
	for _, f := range all {
		out[f.Name] = f
	}
	return out
}

func TestASweepAdoptsAloneWhatItsRulesSay(t *testing.T) {
	w := setup(t)
	ctx := t.Context()
	root, err := w.store.Places.Save(ctx, domain.Place{Name: "Kittiwake Line", Kind: domain.Organisation})
	require.NoError(t, err)
	quay, err := w.store.Places.Save(ctx, domain.Place{Name: "Quay", Kind: domain.Site, ParentID: root.ID})
	require.NoError(t, err)
	w.network.devices["192.0.2.1"] = answer("gr-1", "01")
	w.network.devices["192.0.2.2"] = answer("gr-2", "02")
	other := answer("lamp", "03")
	other.ObjectID, other.Description = "", "a lamp"
	w.network.devices["192.0.2.3"] = other
	sweep, finds := w.sweep(t, draft("192.0.2.0/29"))
	require.Len(t, finds, 3)

	rules := []domain.AdoptionRule{
		{When: `kind == "router" && name != "gr-2"`, PlaceID: quay.ID, Tags: []string{"edge"}},
		{When: `description.contains("lamp")`, PlaceID: root.ID},
	}
	decided, err := w.RehearseAlone(ctx, testkit.Anyone, sweep.ID, rules)
	require.NoError(t, err)
	require.Len(t, decided, 3)
	assert.Equal(t, 0, decided[0].Rule)
	assert.Equal(t, "name is “gr-1”, kind is “router”", decided[0].Why)
	assert.Equal(t, -1, decided[1].Rule)
	assert.Contains(t, decided[1].Why, "not rule 1: name is “gr-2”, kind is “router”; not rule 2: description is “a router”")
	assert.Equal(t, 1, decided[2].Rule)

	before, err := w.Alone(ctx, testkit.Anyone, sweep.ID)
	require.NoError(t, err)
	assert.Empty(t, before.Rules)
	require.NoError(t, w.SetAlone(ctx, testkit.Anyone, sweep.ID, rules, before.Mark))
	assert.ErrorIs(t, w.SetAlone(ctx, testkit.Anyone, sweep.ID, nil, before.Mark), domain.ErrChanged)
	assert.Empty(t, w.adopted, "what was found before waits for the next run")

	got := w.again(t, sweep.ID)
	assert.Equal(t, domain.FindAdopted, got["gr-1"].Verdict)
	assert.Equal(t, domain.FindAdopted, got["lamp"].Verdict)
	assert.Equal(t, domain.FindNew, got["gr-2"].Verdict)
	d, err := w.store.Devices.One(ctx, got["gr-1"].DeviceID)
	require.NoError(t, err)
	assert.Equal(t, quay.ID, d.PlaceID)
	fittings, err := w.store.Fittings.Of(ctx, d.ID)
	require.NoError(t, err)
	assert.NotEmpty(t, fittings, "with all kits that fit")
	tags, err := w.store.Attributes.Of(ctx, "device_id", []domain.ID{d.ID})
	require.NoError(t, err)
	require.Len(t, tags, 1)
	assert.Equal(t, "edge", tags[0].Name)
	entries, err := w.store.Audit.Find(ctx, domain.EntryFilter{Act: "adopt devices", Limit: 5})
	require.NoError(t, err)
	assert.Equal(t, "the sweep “pier”", entries[0].Actor)
}

// Whoever removed a device, put it aside, or has another of its name, is asked.
func TestWhatSomebodyDecidedIsNotUndoneAlone(t *testing.T) {
	w := setup(t)
	ctx := t.Context()
	place, err := w.store.Places.Save(ctx, domain.Place{Name: "Kittiwake Line", Kind: domain.Organisation})
	require.NoError(t, err)
	for address, name := range map[string]string{"192.0.2.1": "removed", "192.0.2.2": "aside", "192.0.2.3": "twice", "192.0.2.4": "fresh"} {
		w.network.devices[address] = answer(name, "80"+name)
	}
	sweep, finds := w.sweep(t, draft("192.0.2.0/29"))
	id := map[string]domain.ID{}
	for _, f := range finds {
		id[f.Name] = f.ID
	}
	made, err := w.Adopt(ctx, testkit.Anyone, sweep.ID, find.Adoption{FindIDs: []domain.ID{id["removed"]}, PlaceID: place.ID})
	require.NoError(t, err)
	require.NoError(t, w.store.Devices.Remove(ctx, made[0].ID, time.Now()))
	require.NoError(t, w.Ignore(ctx, testkit.Anyone, sweep.ID, []domain.ID{id["aside"]}, true))
	_, err = w.store.Devices.Add(ctx, domain.Device{PlaceID: place.ID, Name: "twice", Address: made[0].Address.Next().Next().Next().Next(),
		CreatedAt: time.Now()}, "", nil)
	require.NoError(t, err)
	require.NoError(t, w.SetAlone(ctx, testkit.Anyone, sweep.ID, []domain.AdoptionRule{{When: "true", PlaceID: place.ID}}, ""))
	got := w.again(t, sweep.ID)
	assert.Equal(t, domain.FindAdopted, got["fresh"].Verdict)
	assert.Equal(t, domain.FindIgnored, got["aside"].Verdict)
	assert.Equal(t, domain.FindNew, got["twice"].Verdict)
	assert.Contains(t, got["twice"].Proposal, "rule 1 would adopt it: A device named twice is watched already")
	assert.Zero(t, got["removed"].DeviceID)
	decided, err := w.RehearseAlone(ctx, testkit.Anyone, sweep.ID, []domain.AdoptionRule{{When: "true", PlaceID: place.ID}})
	require.NoError(t, err)
	for _, d := range decided {
		switch d.Find.Name {
		case "removed":
			assert.Equal(t, "somebody removed it before", d.Why)
		case "aside":
			assert.Equal(t, "it was put aside", d.Why)
		}
	}
}

// What another organisation removed is nothing to this one.
func TestWhatOthersRemovedIsNotTold(t *testing.T) {
	w := setup(t)
	ctx := t.Context()
	ours, err := w.store.Places.Save(ctx, domain.Place{Name: "Kittiwake Line", Kind: domain.Organisation})
	require.NoError(t, err)
	theirs, err := w.store.Places.Save(ctx, domain.Place{Name: "Harbour office", Kind: domain.Organisation})
	require.NoError(t, err)
	d, err := w.store.Devices.Add(ctx, domain.Device{PlaceID: theirs.ID, Name: "gr-1", Address: netip.MustParseAddr("192.0.2.1"),
		CreatedAt: time.Now()}, "engine:01", nil)
	require.NoError(t, err)
	require.NoError(t, w.store.Devices.Remove(ctx, d.ID, time.Now()))
	for place, want := range map[domain.ID]bool{ours.ID: false, theirs.ID: true, 0: true} {
		removed, err := w.store.Devices.GoneBy(ctx, place, []string{"engine:01", "engine:02"})
		require.NoError(t, err)
		assert.Equal(t, want, removed["engine:01"])
		assert.False(t, removed["engine:02"])
	}
}

func TestRulesOfAdoptionAreChecked(t *testing.T) {
	w := setup(t)
	ctx := t.Context()
	place, err := w.store.Places.Save(ctx, domain.Place{Name: "Kittiwake Line", Kind: domain.Organisation})
	require.NoError(t, err)
	sweep, err := w.Create(ctx, testkit.Anyone, draft("192.0.2.0/29"))
	require.NoError(t, err)
	err = w.SetAlone(ctx, testkit.Anyone, sweep.ID, []domain.AdoptionRule{
		{When: "true", PlaceID: place.ID, Tags: []string{"fine"}},
		{When: "colour == 1", PlaceID: 999, Tags: []string{"a=b"}},
	}, "")
	var errs domain.FieldErrors
	require.ErrorAs(t, err, &errs)
	assert.Contains(t, errs["when-1"], "Character 1: there is no column “colour”")
	assert.Equal(t, "Choose a place.", errs["place-1"])
	assert.Contains(t, errs["tags-1"], "is no tag")
	assert.Len(t, errs, 3)
	assert.ErrorAs(t, w.SetAlone(ctx, testkit.Anyone, sweep.ID, make([]domain.AdoptionRule, 21), ""), &errs)
	_, err = w.RehearseAlone(ctx, testkit.Anyone, sweep.ID, []domain.AdoptionRule{{When: "kind"}})
	assert.ErrorAs(t, err, &errs)
	assert.ErrorIs(t, w.SetAlone(ctx, testkit.Anyone, 999, nil, ""), domain.ErrNotFound)
}
