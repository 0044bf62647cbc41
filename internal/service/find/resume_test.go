package find_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/testkit"
)

// The program ends in the middle of a /24 of which two addresses, one before and one behind,
// are of one device.
func TestASweepGoesOnWhereItWasBrokenOff(t *testing.T) {
	w := setup(t)
	w.network.devices["192.0.2.3"] = answer("edge", "aa")
	w.network.devices["192.0.2.250"] = answer("edge", "aa")
	w.network.devices["192.0.2.251"] = answer("kiosk", "bb")
	w.network.says = map[string]string{"192.0.2.4": "the machine is up"}
	d := draft("192.0.2.0/24")
	d.Pace = 200 // 256 addresses, asked three times each, take four seconds
	made, err := w.Create(t.Context(), testkit.Anyone, d)
	require.NoError(t, err)
	require.NoError(t, w.Start(t.Context(), testkit.Anyone, made.ID))
	var broken domain.Sweep
	require.Eventually(t, func() bool {
		broken, err = w.store.Sweeps.One(t.Context(), made.ID)
		return err == nil && broken.Reached.IsValid() && broken.Found == 1
	}, 10*time.Second, 20*time.Millisecond)
	w.Close()
	assert.ErrorIs(t, w.Start(t.Context(), testkit.Anyone, made.ID), domain.ErrConflict, "nothing begins any more")
	broken, err = w.store.Sweeps.One(t.Context(), made.ID)
	require.NoError(t, err)
	assert.Equal(t, domain.SweepRunning, broken.State, "it is not over")
	assert.Less(t, broken.Tried, int64(256))
	before := w.network.hellos

	again := w.restarted(t)
	again.network.devices["192.0.2.1"] = answer("late", "cc") // it is known that nothing answered there
	require.NoError(t, again.Resume(t.Context()))
	sweep, finds := again.finish(t, made.ID)
	assert.Equal(t, domain.SweepDone, sweep.State)
	assert.Equal(t, []int64{256, 256, 2}, []int64{sweep.Tried, sweep.Total, sweep.Found})
	assert.Less(t, w.network.hellos-before, 3*256, "what was done is not done again")
	require.Len(t, finds, 2)
	assert.Equal(t, "192.0.2.3 [192.0.2.250]", fmt.Sprint(finds[0].Address, " ", finds[0].Others), "one device, before and behind")
	seen, err := again.Sightings(t.Context(), testkit.Anyone, made.ID)
	require.NoError(t, err)
	assert.Equal(t, []domain.Sighting{{Address: "192.0.2.4", Said: "the machine is up"}}, seen)
	require.NoError(t, again.Resume(t.Context()), "nothing runs any more")

	require.NoError(t, again.Start(t.Context(), testkit.Anyone, made.ID), "run again it begins anew")
	_, finds = again.finish(t, made.ID)
	assert.Len(t, finds, 3)
}
