package collect_test

import (
	"net/netip"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/store"
	"tirelessowl/internal/testkit"
)

func credential(t *testing.T, s *store.Store, name, ranges string) domain.Credential {
	t.Helper()
	c, err := s.Credentials.Add(t.Context(), domain.Credential{Name: name, Kind: "snmp-v2c", Ranges: ranges},
		domain.Secrets{"community": domain.Secret(name)})
	require.NoError(t, err)
	return c
}

func TestCredentialsAreInheritedAndGoNowhereElse(t *testing.T) {
	svc, s, d := setup(t)
	ctx := t.Context()
	pier := credential(t, s, "quay", "192.0.2.0/24")
	inherited := domain.Override{PlaceID: d.PlaceID, Key: domain.SettingCredential("snmp"), Value: strconv.FormatInt(pier.ID, 10)}
	require.NoError(t, s.Overrides.Set(ctx, inherited, 0))
	own := credential(t, s, "own", "192.0.2.1")
	around, err := svc.Around(ctx, &s.Areas)
	require.NoError(t, err)

	talk := svc.Talks(around, d, nil)["snmp"]
	assert.Equal(t, domain.Secret("quay"), talk.Credential.Secrets["community"], "that of its place, though nothing is set at the device")
	assert.Empty(t, talk.Withheld)

	e := domain.Endpoint{DeviceID: d.ID, Way: "snmp", Settings: map[string]string{"port": "1161"}}
	talk = svc.Talks(around, d, []domain.Endpoint{e})["snmp"]
	assert.Equal(t, domain.Secret("quay"), talk.Credential.Secrets["community"])
	assert.Equal(t, "1161", talk.Settings["port"])

	e.CredentialID = own.ID
	assert.Equal(t, domain.Secret("own"), svc.Talks(around, d, []domain.Endpoint{e})["snmp"].Credential.Secrets["community"])

	e.Address = netip.MustParseAddr("203.0.113.9")
	talk = svc.Talks(around, d, []domain.Endpoint{e})["snmp"]
	assert.Empty(t, talk.Credential.Secrets)
	assert.Equal(t, "nothing was asked: its own credential is not bound to 203.0.113.9", talk.Withheld)
	e.CredentialID = 0
	talk = svc.Talks(around, d, []domain.Endpoint{e})["snmp"]
	assert.Empty(t, talk.Credential.Secrets)
	assert.Equal(t, "nothing was asked: the credential of its place is not bound to 203.0.113.9", talk.Withheld)
	held := heldBy(svc, d, []domain.Fitting{{Kit: "reachability"}}, nil, 1)
	questions := svc.Questions(d, held.Kits, svc.Talks(around, d, []domain.Endpoint{e}))
	assert.Equal(t, talk.Withheld, questions[0].Withheld)
	assert.Empty(t, svc.Talks(around, d, nil)["tcp"].Credential, "a way that takes none gets none")
}

func TestSeriesFollowTheStretch(t *testing.T) {
	svc, s, d := setup(t)
	ctx := t.Context()
	fitted := []domain.Fitting{{DeviceID: d.ID, Kit: "reachability"}}
	intervals := func() map[time.Duration]bool {
		out := map[time.Duration]bool{}
		stored, err := s.Series.Of(ctx, d.ID)
		require.NoError(t, err)
		for _, x := range stored {
			out[x.Interval] = true
		}
		return out
	}
	have, err := svc.DeviceSeries(ctx, d.ID, heldBy(svc, d, fitted, nil, 2))
	require.NoError(t, err)
	require.NotEmpty(t, have)
	assert.Equal(t, map[time.Duration]bool{30 * time.Second: true}, intervals(), "2 × 15 s")
	have, err = svc.DeviceSeries(ctx, d.ID, heldBy(svc, d, fitted, have, 1))
	require.NoError(t, err)
	assert.Equal(t, 15*time.Second, have[0].Interval)
	assert.Equal(t, map[time.Duration]bool{15 * time.Second: true}, intervals())
	require.NoError(t, svc.Load(ctx))
	_, err = svc.DeviceSeries(ctx, d.ID, heldBy(svc, d, fitted, have, 4))
	require.NoError(t, err)
	require.NoError(t, svc.Load(ctx), "kits that are loaded anew do not change what devices say")
	assert.Equal(t, map[time.Duration]bool{time.Minute: true}, intervals())
}

func TestAChangedAddressTakesNoInheritedCredentialAlong(t *testing.T) {
	svc, s, d := setup(t)
	ctx := t.Context()
	pier := credential(t, s, "quay", "192.0.2.0/24")
	inherited := domain.Override{PlaceID: d.PlaceID, Key: domain.SettingCredential("snmp"), Value: strconv.FormatInt(pier.ID, 10)}
	require.NoError(t, s.Overrides.Set(ctx, inherited, 0))
	fit(t, s, d, domain.Fitting{Kit: "reachability"})
	elsewhere := draftAt("203.0.113.9")
	err := svc.SetEndpoint(ctx, testkit.Anyone, d.ID, "snmp", elsewhere)
	var wrong domain.FieldErrors
	require.ErrorAs(t, err, &wrong)
	const told = "“quay” is bound to 192.0.2.0/24, and 203.0.113.9 lies outside: type its secret again to send it there."
	assert.Equal(t, told, wrong["secret"])
	elsewhere.Secrets = domain.Secrets{"": "wrong"}
	require.ErrorAs(t, svc.SetEndpoint(ctx, testkit.Anyone, d.ID, "snmp", elsewhere), &wrong)
	elsewhere.Secrets = domain.Secrets{"": "quay"}
	require.NoError(t, svc.SetEndpoint(ctx, testkit.Anyone, d.ID, "snmp", elsewhere))
}

// A field for one secret cannot take several: such a credential is bound at its own page.
func TestACredentialOfSeveralSecretsIsBoundAtItsPage(t *testing.T) {
	c := store.Opened{
		Credential: domain.Credential{Name: "watch", Ranges: "192.0.2.0/24"},
		Secrets:    domain.Secrets{"auth_password": "lamp", "priv_password": "rope"},
	}
	to := netip.MustParseAddr("203.0.113.9")
	for _, typed := range []domain.Secrets{nil, {"": "lamp"}} {
		_, problem := collect.Bound(c, to, typed)
		assert.Equal(t, "“watch” is bound to 192.0.2.0/24, and 203.0.113.9 lies outside: bind it to that, too, under Credentials.", problem)
	}
	_, problem := collect.Bound(c, to, domain.Secrets{"auth_password": "lamp", "priv_password": "guess"})
	assert.Contains(t, problem, "That is not what is stored")
	extended, problem := collect.Bound(c, to, domain.Secrets{"auth_password": "lamp", "priv_password": "rope"})
	assert.Empty(t, problem)
	assert.Equal(t, "192.0.2.0/24\n203.0.113.9", extended)
}
