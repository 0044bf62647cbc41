package find_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/identity"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/find"
	"tirelessowl/internal/testkit"
)

// A switch says who stands at its first port, and has heard a server at its second.
func TestFindsKnowTheirNeighbours(t *testing.T) {
	w := setup(t)
	place, err := w.store.Places.Save(t.Context(), domain.Place{Name: "Kittiwake Line", Kind: domain.Organisation})
	require.NoError(t, err)
	sw, server := answer("gr-sw-1", "01"), answer("gr-db-1", "02")
	sw.Neighbours = []identity.Neighbour{{Port: "port1", Name: "somebody else's", RemotePort: "port9"}}
	sw.Stations = []identity.Station{{Port: "port2", Hardware: "00:00:5e:00:53:02"}}
	server.Hardware = []string{"00:00:5e:00:53:02"}
	w.network.devices["192.0.2.1"], w.network.devices["192.0.2.2"] = sw, server
	sweep, finds := w.sweep(t, draft("192.0.2.0/29"))
	require.Len(t, finds, 2)
	require.Len(t, finds[0].Neighbours, 2)
	assert.Equal(t, domain.FindNeighbour{Port: "port1", Name: "somebody else's", RemotePort: "port9", Why: "it says so (LLDP)"},
		finds[0].Neighbours[0])
	assert.Equal(t, finds[1].Identity, finds[0].Neighbours[1].Identity)
	assert.Empty(t, finds[1].Neighbours)
	made, err := w.Adopt(t.Context(), testkit.Anyone, sweep.ID,
		find.Adoption{FindIDs: []domain.ID{finds[0].ID, finds[1].ID}, PlaceID: place.ID})
	require.NoError(t, err)
	got, err := w.store.Finds.Neighbours(t.Context(), made[0].ID)
	require.NoError(t, err)
	require.Len(t, got, 2)
	assert.Zero(t, got[0].DeviceID)
	assert.Equal(t, domain.Neighbour{Port: "port2", Name: "gr-db-1", DeviceID: made[1].ID, Device: "gr-db-1", Why: got[1].Why}, got[1])
	none, err := w.store.Finds.Neighbours(t.Context(), 999)
	require.NoError(t, err)
	assert.Empty(t, none)
}
