package settings_test

import (
	"fmt"
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/settings"
	"tirelessowl/internal/testkit"
)

const guarded = `kit: guarded
title: Guarded
version: 1
parameters:
  - {name: token, label: Token, kind: secret}
sources:
  - {key: door, way: tcp, every: 60s, ask: {port: "7", send: 'AUTH {token}\n'}}
readings:
  - {key: time, name: Time, unit: s, source: door, value: [time]}
`

func TestAPlaceSetsASecretByWhatIsStored(t *testing.T) {
	w := setup(t)
	ctx, pier := t.Context(), inherit.Place(w.pier)
	kits := testkit.Kits(t, w.store)
	require.NoError(t, kits.Load(ctx))
	_, err := kits.Bring(ctx, testkit.Anyone, guarded, 0)
	require.NoError(t, err)
	w.Service = settings.New(w.store, testkit.Desk(w.store), kits, w.reloaded)
	secret, err := w.store.Credentials.Add(ctx, domain.Credential{Name: "door", Kind: way.Secret.Name, Ranges: "192.0.2.0/24"},
		domain.Secrets{"secret": "open sesame"})
	require.NoError(t, err)
	const key domain.SettingKey = "parameter:guarded:token"
	ref := domain.CredentialRef(secret.ID)

	problems := domain.FieldErrors{}
	require.ErrorAs(t, w.set(t, pier, key, "open sesame"), &problems)
	assert.Contains(t, problems["value"], "Choose a secret that is stored")
	places, err := w.store.Places.All(ctx)
	require.NoError(t, err)
	given := access.Given{Grant: domain.Grant{PlaceID: w.pier, Level: domain.AccessConfigure}}
	marek := access.Actor{Kind: access.Person, ID: 9, Name: "marek", Sheet: access.NewSheet(access.NewTree(places), []access.Given{given})}
	require.ErrorAs(t, w.Set(ctx, marek, settings.Typed{At: pier, Key: key, Value: ref}), &problems)
	assert.Equal(t, "There is no such secret.", problems["value"], "it is of the whole tree, he of the pier")
	_, err = w.Rehearse(ctx, marek, settings.Typed{At: pier, Key: key, Value: ref})
	assert.ErrorAs(t, err, &problems, "nor can he find out whether there is one")

	require.NoError(t, w.set(t, pier, key, ref))
	shown := w.setting(t, pier, key)
	assert.Equal(t, "door", shown.Shown)
	assert.Equal(t, []settings.Choice{{Value: ref, Label: "door"}}, shown.Choices)
	theirs, err := w.One(ctx, marek, pier, key)
	require.NoError(t, err)
	assert.Equal(t, "a credential that you do not see", theirs.Shown)
	assert.NotContains(t, fmt.Sprint(theirs.Why, theirs.Choices), "door")

	// It holds for what is below, and is in use.
	d := w.devices[0]
	require.NoError(t, w.store.Fittings.Fit(ctx, domain.Fitting{DeviceID: d.ID, Kit: "guarded"}))
	around, err := kits.Around(ctx, &w.store.Areas)
	require.NoError(t, err)
	fitted := []domain.Fitting{{DeviceID: d.ID, Kit: "guarded"}}
	q := kits.Questions(d, kits.Effective(around.Tree, d, fitted), kits.Talks(around, d, nil))
	assert.Equal(t, `AUTH open sesame\n`, q[0].Ask["send"])
	elsewhere := d
	elsewhere.Address = netip.MustParseAddr("198.51.100.1")
	q = kits.Questions(elsewhere, kits.Effective(around.Tree, d, fitted), kits.Talks(around, elsewhere, nil))
	assert.Contains(t, q[0].Withheld, "not bound to 198.51.100.1")
	uses, err := w.store.Credentials.Uses(ctx)
	require.NoError(t, err)
	assert.Equal(t, domain.CredentialUse{Places: 1}, uses[secret.ID])
}
