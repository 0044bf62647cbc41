package collect_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/testkit"
)

const guardedKit = `kit: guarded
title: Guarded
version: 1
parameters:
  - {name: token, label: Token, kind: secret}
sources:
  - {key: door, way: tcp, every: 60s, ask: {port: "7", send: 'AUTH {token}\n'}}
readings:
  - {key: time, name: Time, unit: s, source: door, value: [time]}
`

func TestASecretOfAKitGoesOnlyWhereItMay(t *testing.T) {
	svc, s, d := setup(t)
	ctx := t.Context()
	require.NoError(t, svc.Load(ctx))
	_, err := svc.Bring(ctx, testkit.Anyone, guardedKit, 0)
	require.NoError(t, err)
	require.NoError(t, s.Fittings.Fit(ctx, domain.Fitting{DeviceID: d.ID, Kit: "guarded"}))
	secret, err := s.Credentials.Add(ctx, domain.Credential{Name: "door", Kind: way.Secret.Name, Ranges: "192.0.2.0/24"},
		domain.Secrets{"secret": "open sesame"})
	require.NoError(t, err)
	other := credential(t, s, "quay", "192.0.2.0/24") // of a way: not for kits
	set := func(who access.Actor, value string) error {
		return svc.SetParameters(ctx, who, d.ID, "guarded", map[string]string{"token": value}, "")
	}
	asked := func() way.Question {
		fittings, err := s.Fittings.Of(ctx, d.ID)
		require.NoError(t, err)
		around, err := svc.Around(ctx, &s.Areas)
		require.NoError(t, err)
		q := svc.Questions(d, svc.Effective(around.Tree, d, fittings), svc.Talks(around, d, nil))
		require.Len(t, q, 1)
		return q[0]
	}
	assert.Equal(t, `AUTH \n`, asked().Ask["send"], "nothing is set, and nothing must be")

	problems := domain.FieldErrors{}
	require.ErrorAs(t, set(testkit.Anyone, "open sesame"), &problems)
	assert.Contains(t, problems["token"], "stored under Credentials", "it is not typed here, where it would be stored open")
	require.ErrorAs(t, set(testkit.Anyone, domain.CredentialRef(other.ID)), &problems)
	assert.Equal(t, "There is no such secret.", problems["token"])
	tree := access.NewTree([]domain.Place{{ID: d.PlaceID, Name: "Pier"}})
	given := access.Given{Grant: domain.Grant{PlaceID: d.PlaceID, Level: domain.AccessConfigure}}
	marek := access.Actor{Kind: access.Person, ID: 9, Name: "marek", Sheet: access.NewSheet(tree, []access.Given{given})}
	require.ErrorAs(t, set(marek, domain.CredentialRef(secret.ID)), &problems)
	assert.Equal(t, "There is no such secret.", problems["token"], "it is of the whole tree, he of the pier")

	require.NoError(t, set(testkit.Anyone, domain.CredentialRef(secret.ID)))
	assert.Equal(t, `AUTH open sesame\n`, asked().Ask["send"])
	assert.Equal(t, []string{"open sesame"}, asked().Hide)
	require.NoError(t, set(marek, domain.CredentialRef(secret.ID)), "what was there already may stay")
	uses, err := s.Credentials.Uses(ctx)
	require.NoError(t, err)
	assert.Equal(t, domain.CredentialUse{Devices: 1}, uses[secret.ID])
	assert.Equal(t, domain.CredentialUse{}, uses[other.ID])

	require.NoError(t, s.Credentials.SetRanges(ctx, secret.ID, "198.51.100.0/24"))
	assert.Equal(t, "nothing was asked: a secret that is needed is not bound to 192.0.2.1", asked().Withheld)
	assert.NotContains(t, asked().Ask["send"], "sesame")
	require.NoError(t, s.Credentials.Delete(ctx, secret.ID))
	assert.Equal(t, "nothing was asked: a secret that is needed is not stored any more", asked().Withheld)
}

func TestASecretIsChosenAndNeverTyped(t *testing.T) {
	svc, s, _ := setup(t)
	ctx := t.Context()
	p := []field.Field{{Name: "token", Label: "Token", Kind: field.Secret}, {Name: "port", Kind: field.Whole}}
	shown, err := svc.Fillable(ctx, testkit.Anyone, p, nil)
	require.NoError(t, err)
	assert.Equal(t, []string{""}, shown[0].Choices)
	assert.Contains(t, shown[0].Help, "none is stored yet")
	assert.Equal(t, p[1], shown[1])
	c, err := s.Credentials.Add(ctx, domain.Credential{Name: "door", Kind: way.Secret.Name}, domain.Secrets{"secret": "open sesame"})
	require.NoError(t, err)
	shown, err = svc.Fillable(ctx, testkit.Anyone, p, map[string]string{"token": "credential:999"})
	require.NoError(t, err)
	assert.Equal(t, []string{"", domain.CredentialRef(c.ID), "credential:999"}, shown[0].Choices)
	assert.Equal(t, "one that you may not use", shown[0].Labels["credential:999"])
	assert.Equal(t, field.Choice, shown[0].Kind)
	assert.Equal(t, field.Secret, p[0].Kind, "the description itself stays")
}
