package find_test

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/testkit"
)

// Two routers share 192.0.2.3, where the first of them answers now.
func TestAnAddressOfAVirtualRouterIsNobodysOwn(t *testing.T) {
	w := setup(t)
	shared := []netip.Addr{netip.MustParseAddr("192.0.2.3")}
	for address, name := range map[string]string{"192.0.2.1": "edge-1", "192.0.2.2": "edge-2", "192.0.2.3": "edge-1"} {
		a := answer(name, name)
		a.Shared = shared
		w.network.devices[address] = a
	}
	sweep, finds := w.sweep(t, draft("192.0.2.0/29"))
	require.Len(t, finds, 2)
	for _, f := range finds {
		assert.Empty(t, f.Others, "%s has it only while the other is well", f.Name)
	}
	all, err := w.Sightings(t.Context(), testkit.Anyone, sweep.ID)
	require.NoError(t, err)
	assert.Equal(t, []domain.Sighting{
		{Address: "192.0.2.3", Said: "an address of a virtual router, where “edge-1” answers now"},
	}, all)
}

// What no product list knows says itself what it is (ENTITY-MIB).
func TestAnUnknownProductSaysWhatItIs(t *testing.T) {
	w := setup(t)
	a := answer("ups-1", "aa")
	a.ObjectID, a.Maker, a.Model = "1.3.6.1.4.1.32473.77.1", "Brackwater Power", "BP-3000"
	w.network.devices["192.0.2.1"] = a
	a = answer("sw-1", "bb")
	a.Maker, a.Model = "somebody else", "another"
	w.network.devices["192.0.2.2"] = a
	_, finds := w.sweep(t, draft("192.0.2.0/30"))
	require.Len(t, finds, 2)
	assert.Equal(t, []string{"Brackwater Power", "BP-3000"}, []string{finds[0].Vendor, finds[0].Model})
	known := []string{finds[1].Vendor, finds[1].Model}
	assert.Equal(t, []string{"Brackwater Networks", "BR-240"}, known, "a known one is called as it is known")
}

// A sweep whose finds cannot be stored ends all the same, and says so.
func TestASweepThatCannotBeStoredDoesNotSeemToRun(t *testing.T) {
	w := setup(t)
	w.network.devices["192.0.2.1"] = answer("edge", "aa")
	_, err := w.store.Pool().Exec(t.Context(), "ALTER TABLE finds ADD CHECK (name <> 'edge')")
	require.NoError(t, err)
	sweep, finds := w.sweep(t, draft("192.0.2.0/30"))
	assert.Equal(t, domain.SweepFailed, sweep.State)
	assert.Contains(t, sweep.Error, "could not be stored")
	assert.Empty(t, finds)
}
