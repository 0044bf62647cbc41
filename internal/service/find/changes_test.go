package find_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/identity"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/find"
	"tirelessowl/internal/testkit"
)

func TestRunsAreKeptWithWhatChanged(t *testing.T) {
	w := setup(t)
	ctx := t.Context()
	w.network.devices["192.0.2.1"] = answer("pier", "aa")
	w.network.devices["192.0.2.2"] = answer("shed", "bb")
	sweep, _ := w.sweep(t, draft("192.0.2.0/29"))
	again := func() {
		t.Helper()
		require.NoError(t, w.Start(ctx, testkit.Anyone, sweep.ID))
		w.finish(t, sweep.ID)
	}
	delete(w.network.devices, "192.0.2.1")
	w.network.devices["192.0.2.2"] = answer("shed-2", "bb")
	w.network.devices["192.0.2.3"] = answer("lamp", "cc")
	again()
	w.network.devices["192.0.2.1"] = answer("pier", "aa")
	again()
	again()

	runs, err := w.Runs(ctx, testkit.Anyone, sweep.ID)
	require.NoError(t, err)
	require.Len(t, runs, 4)
	first := runs[3]
	assert.True(t, first.First)
	assert.Equal(t, int64(2), first.Found)
	assert.Equal(t, domain.SweepDone, first.State)
	second := runs[2]
	assert.False(t, second.First)
	var kinds []identity.ChangeKind
	for _, c := range second.Changes {
		kinds = append(kinds, c.Kind)
	}
	assert.Equal(t, []identity.ChangeKind{identity.Vanished, identity.Appeared, identity.Altered}, kinds)
	assert.Equal(t, "192.0.2.1", second.Changes[0].Address)
	assert.Equal(t, []identity.Difference{{Property: "name", From: "shed", To: "shed-2"}}, second.Changes[2].What)
	require.Len(t, runs[1].Changes, 1)
	assert.Equal(t, identity.Returned, runs[1].Changes[0].Kind)
	assert.Empty(t, runs[0].Changes, "nothing happened")
	assert.Equal(t, int64(3), runs[0].Found)
	_, err = w.Runs(ctx, testkit.Anyone, sweep.ID+1)
	assert.ErrorIs(t, err, domain.ErrNotFound)
}

// Grants reach what carries a tag: who may not set attributes gives none away by adopting.
func TestAdoptedDevicesGetTags(t *testing.T) {
	w, ctx := setup(t), t.Context()
	w.network.devices["192.0.2.1"] = answer("pier", "aa")
	w.network.devices["192.0.2.2"] = answer("shed", "bb")
	sweep, finds := w.sweep(t, draft("192.0.2.0/29"))
	a := find.Adoption{FindIDs: []domain.ID{finds[0].ID}, NewPlace: "Pier", Tags: "night, #ship"}
	made, err := w.Adopt(ctx, testkit.Anyone, sweep.ID, a)
	require.NoError(t, err)
	all, err := w.store.Attributes.All(ctx)
	require.NoError(t, err)
	var tags []string
	for _, x := range all {
		if x.DeviceID == made[0].ID && x.Tag {
			tags = append(tags, x.Name)
		}
	}
	assert.ElementsMatch(t, []string{"night", "ship"}, tags)

	sheet := access.NewSheet(access.NewTree(nil), []access.Given{
		{Grant: domain.Grant{Level: domain.AccessConfigure, Areas: []domain.Area{domain.AreaFind}}}})
	finder := access.Actor{Kind: access.Person, Name: "finder", Sheet: sheet}
	a = find.Adoption{FindIDs: []domain.ID{finds[1].ID}, PlaceID: made[0].PlaceID, Tags: "night"}
	_, err = w.Adopt(ctx, finder, sweep.ID, a)
	var errs domain.FieldErrors
	require.ErrorAs(t, err, &errs)
	assert.Equal(t, "You may not set tags there.", errs["tags"])
	a.Tags = ""
	_, err = w.Adopt(ctx, finder, sweep.ID, a)
	assert.NoError(t, err)
}
