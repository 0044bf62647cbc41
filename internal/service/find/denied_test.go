package find_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/testkit"
)

// An address is asked twice with each credential; one that refuses it only once, and a sweep
// soon after not at all.
func TestARefusedCredentialIsNotTriedAgainAtOnce(t *testing.T) {
	w := setup(t)
	w.network.denies = map[string]bool{"192.0.2.1": true}
	sweep, finds := w.sweep(t, draft("192.0.2.1"))
	assert.Empty(t, finds)
	assert.Equal(t, 1, w.network.hellos)
	said := func() string {
		t.Helper()
		all, err := w.Sightings(t.Context(), testkit.Anyone, sweep.ID)
		require.NoError(t, err)
		require.Len(t, all, 1)
		return all[0].Said
	}
	assert.Equal(t, "an engine that does not take right", said())

	require.NoError(t, w.Start(t.Context(), testkit.Anyone, sweep.ID))
	again, _ := w.finish(t, sweep.ID)
	assert.Equal(t, 1, w.network.hellos, "it rests")
	assert.Equal(t, int64(1), again.Tried)
	assert.Contains(t, said(), "was refused here, and is not tried again for")
}

func TestWhatTakesNoCredentialIsTold(t *testing.T) {
	w := setup(t)
	w.network.present = map[string]string{"192.0.2.2": "an engine"}
	sweep, _ := w.sweep(t, draft("192.0.2.0/30"))
	all, err := w.Sightings(t.Context(), testkit.Anyone, sweep.ID)
	require.NoError(t, err)
	assert.Equal(t, []domain.Sighting{{Address: "192.0.2.2", Said: "an engine"}}, all)
	assert.Equal(t, int64(4), sweep.Tried)
}

// Credentials are tried in the order in which they were chosen, each once.
func TestCredentialsAreTriedInTheirOrder(t *testing.T) {
	w, ctx := setup(t), t.Context()
	var ids []domain.ID
	for _, name := range []string{"a", "b", "c"} {
		c := domain.Credential{Name: name, Kind: "snmp-v2c", Ranges: "192.0.2.0/24"}
		c, err := w.store.Credentials.Add(ctx, c, domain.Secrets{"community": domain.Secret(name)})
		require.NoError(t, err)
		ids = append(ids, c.ID)
	}
	d := draft("192.0.2.1")
	d.Community, d.CredentialIDs = "", []domain.ID{ids[2], ids[0], ids[2], ids[1], ids[0]}
	w.network.denies = map[string]bool{"192.0.2.1": true}
	sweep, _ := w.sweep(t, d)
	assert.Equal(t, []domain.ID{ids[2], ids[0], ids[1]}, sweep.CredentialIDs)
	all, err := w.Sightings(ctx, testkit.Anyone, sweep.ID)
	require.NoError(t, err)
	require.Len(t, all, 1)
	assert.Equal(t, "an engine that does not take c; an engine that does not take a; an engine that does not take b", all[0].Said)
}
