package find_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/identity"
	"tirelessowl/internal/domain"
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
