package find_test

import (
	"testing"

	"tirelessowl/internal/testkit"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/identity"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/find"
)

// adopt watches the only find of a sweep.
func (w *world) adopt(t *testing.T, sweep domain.ID, finds []domain.Find) domain.Device {
	t.Helper()
	require.Len(t, finds, 1)
	made, err := w.Adopt(
		t.Context(),
		testkit.Anyone,
		sweep,
		find.Adoption{FindIDs: []domain.ID{finds[0].ID}, NewPlace: "Pier", Kits: []string{"interfaces"}},
	)
	require.NoError(t, err)
	return made[0]
}

// A device that got another address is recognised, the change is proposed, and
// taken over with its history; the sweep that found it first sees it, too.
func TestADeviceThatMovedIsRecognised(t *testing.T) {
	w, ctx := setup(t), t.Context()
	w.network.devices["192.0.2.1"] = answer("np-edge-1", "aa")
	first, finds := w.sweep(t, draft("192.0.2.0/28"))
	d := w.adopt(t, first.ID, finds)
	w.network.mu.Lock()
	w.network.devices = map[string]identity.Answer{"192.0.2.9": answer("np-edge-1", "aa")}
	w.network.mu.Unlock()
	require.NoError(t, w.Start(ctx, testkit.Anyone, first.ID))
	_, finds = w.finish(t, first.ID)
	require.Len(t, finds, 1)
	assert.Equal(t, domain.FindMoved, finds[0].Verdict)
	assert.Equal(t, d.ID, finds[0].DeviceID)
	assert.Equal(t, "np-edge-1 answers at 192.0.2.9; it is asked at 192.0.2.1", finds[0].Proposal)
	_, err := w.Adopt(ctx, testkit.Anyone, first.ID, find.Adoption{FindIDs: []domain.ID{finds[0].ID}, NewPlace: "Quay"})
	assert.ErrorContains(t, err, "watched already", "it is no second device")

	w.adopted = nil
	require.NoError(t, w.TakeOver(ctx, testkit.Anyone, first.ID, []domain.ID{finds[0].ID}))
	assert.Equal(t, []domain.ID{d.ID}, w.adopted, "it is in force")
	got, err := w.store.Devices.One(ctx, d.ID)
	require.NoError(t, err)
	assert.Equal(t, "192.0.2.9", got.Address.String())
	finds, err = w.Finds(ctx, testkit.Anyone, first.ID)
	require.NoError(t, err)
	assert.Equal(t, domain.FindAdopted, finds[0].Verdict)
	assert.Error(t, w.TakeOver(ctx, testkit.Anyone, first.ID, []domain.ID{finds[0].ID}), "there is nothing more to take over")
	assert.Error(t, w.TakeOver(ctx, testkit.Anyone, first.ID, nil))
}

// Of two machines with one engine id each is a find of its own, with the doubt.
func TestCopiesAreTwoFinds(t *testing.T) {
	w := setup(t)
	w.network.devices["192.0.2.1"], w.network.devices["192.0.2.2"] = answer("web-1", "aa"), answer("web-2", "aa")
	_, finds := w.sweep(t, draft("192.0.2.0/28"))
	require.Len(t, finds, 2)
	assert.NotEqual(t, finds[0].Identity, finds[1].Identity)
	assert.Contains(t, finds[0].Doubt, "may be a copy")
	assert.Equal(t, domain.FindNew, finds[1].Verdict)
}

// A known device that answers to another credential than it is asked with.
func TestAnotherCredentialIsProposed(t *testing.T) {
	w, ctx := setup(t), t.Context()
	w.network.devices["192.0.2.1"] = answer("np-edge-1", "aa")
	first, finds := w.sweep(t, draft("192.0.2.0/28"))
	d := w.adopt(t, first.ID, finds)
	other := draft("192.0.2.0/28")
	other.NewName = "new one"
	second, finds := w.sweep(t, other) // "right", too, under another name
	require.Len(t, finds, 1)
	require.Equal(t, domain.FindMoved, finds[0].Verdict)
	assert.Equal(t, "np-edge-1 answers to “new one”; it is asked with “SNMP community”", finds[0].Proposal)
	require.NoError(t, w.TakeOver(ctx, testkit.Anyone, second.ID, []domain.ID{finds[0].ID}))
	endpoints, err := w.store.Endpoints.Of(ctx, d.ID)
	require.NoError(t, err)
	assert.Equal(t, finds[0].CredentialID, endpoints[0].CredentialID)
	got, err := w.store.Devices.One(ctx, d.ID)
	require.NoError(t, err)
	assert.Equal(t, "192.0.2.1", got.Address.String(), "only the credential is another")
}

// A device that was removed can be adopted again at once, with its history.
func TestARemovedDeviceIsAdoptedAgain(t *testing.T) {
	w, ctx := setup(t), t.Context()
	w.network.devices["192.0.2.1"] = answer("np-edge-1", "aa")
	sweep, finds := w.sweep(t, draft("192.0.2.0/28"))
	d := w.adopt(t, sweep.ID, finds)
	require.NoError(t, w.store.Devices.Remove(ctx, d.ID, d.CreatedAt))
	finds, err := w.Finds(ctx, testkit.Anyone, sweep.ID)
	require.NoError(t, err)
	require.Equal(t, domain.FindNew, finds[0].Verdict, "the sweep that found it offers it again")
	again, err := w.Adopt(
		ctx,
		testkit.Anyone,
		sweep.ID,
		find.Adoption{FindIDs: []domain.ID{finds[0].ID}, NewPlace: "Quay", Kits: []string{"interfaces"}},
	)
	require.NoError(t, err)
	assert.Equal(t, d.ID, again[0].ID, "it is the same")
	assert.NotEqual(t, d.PlaceID, again[0].PlaceID)
}

// What answers otherwise is told with what it says; a later sweep begins anew.
func TestWhatAnswersOtherwiseIsTold(t *testing.T) {
	w, ctx := setup(t), t.Context()
	w.network.devices["192.0.2.1"] = answer("np-edge-1", "aa")
	w.network.says = map[string]string{"192.0.2.9": "nothing listens there"}
	sweep, finds := w.sweep(t, draft("192.0.2.0/28"))
	require.Len(t, finds, 1)
	got, err := w.Sightings(ctx, testkit.Anyone, sweep.ID)
	require.NoError(t, err)
	assert.Equal(t, []domain.Sighting{{Address: "192.0.2.9", Said: "nothing listens there"}}, got)
	w.network.mu.Lock()
	w.network.says = nil
	w.network.mu.Unlock()
	require.NoError(t, w.Start(ctx, testkit.Anyone, sweep.ID))
	w.finish(t, sweep.ID)
	got, err = w.Sightings(ctx, testkit.Anyone, sweep.ID)
	require.NoError(t, err)
	assert.Empty(t, got)
}

// A stored credential is not sent to addresses that it is not bound to, unless
// somebody shows that he knows it.
func TestASweepSendsNoSecretElsewhere(t *testing.T) {
	w, ctx := setup(t), t.Context()
	first, _ := w.sweep(t, draft("192.0.2.0/28"))
	d := draft("192.0.2.4/30")
	d.Community, d.CredentialIDs = "", first.CredentialIDs
	_, err := w.Create(ctx, testkit.Anyone, d)
	require.NoError(t, err, "within its ranges")
	d.Ranges = "192.0.2.0/24"
	_, err = w.Create(ctx, testkit.Anyone, d)
	assert.ErrorContains(t, err, "is bound to other addresses")
	d.Community = "guess"
	_, err = w.Create(ctx, testkit.Anyone, d)
	assert.ErrorContains(t, err, "is bound to other addresses")
	d.Community = "right"
	made, err := w.Create(ctx, testkit.Anyone, d)
	require.NoError(t, err)
	assert.Equal(t, first.CredentialIDs, made.CredentialIDs, "what was typed again is no new credential")
	d.Community = ""
	_, err = w.Create(ctx, testkit.Anyone, d)
	require.NoError(t, err, "it is bound to these as well from now on")
}
