package collect_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/condition"
	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/own"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/testkit"
)

func uptimeDraft(name string) own.Draft {
	return own.Draft{Reading: own.Reading{Name: name, Object: "sysUpTime", OID: "1.3.6.1.2.1.1.3.0", Treat: own.Number,
		Unit: "s", Steps: []derive.Written{{Do: "scale", With: "0.01"}}, Every: time.Minute}}
}

func errorsDraft(object, column string) own.Draft {
	d := own.Draft{Reading: own.Reading{Name: object, Object: object, OID: "1.3.6.1.2.1.2.2.1." + column, Treat: own.Number, Unit: "1/s",
		Steps: []derive.Written{{Do: "rate"}}, Table: "ifEntry"}}
	d.Rows = own.Table{Key: "ifEntry", Title: "ifTable", Every: time.Minute, Index: "number",
		Name: []string{"index"}, Same: []string{"index"},
		Columns: []own.Column{{As: "index", OID: "index", Is: condition.Text}}}
	return d
}

func TestPickedReadingsAreAKitOfTheDevice(t *testing.T) {
	svc, s, d := setup(t)
	ctx := t.Context()
	key, err := svc.Pick(ctx, testkit.Anyone, d.ID, uptimeDraft("Up"), "")
	require.NoError(t, err)
	assert.Equal(t, "sysuptime", key)
	fitted, err := svc.FittedTo(ctx, testkit.Anyone, d.ID)
	require.NoError(t, err)
	require.Len(t, fitted, 1)
	k := fitted[0].Kit
	assert.Equal(t, own.Name(d.ID), k.Name)
	r, ok := k.Reading("sysuptime")
	require.True(t, ok)
	assert.Equal(t, "Up", r.Name)
	for _, other := range svc.Kits() {
		assert.NotEqual(t, k.Name, other.Name, "it is in no list of kits")
	}
	text, err := svc.OwnDocument(ctx, testkit.Anyone, d.ID)
	require.NoError(t, err)
	assert.Contains(t, text, "1.3.6.1.2.1.1.3.0")
	_, err = svc.Bring(ctx, testkit.Anyone, text, 0)
	assert.ErrorContains(t, err, "belong to one device each")

	again := testkit.Kits(t, s)
	require.NoError(t, again.Load(ctx))
	_, err = again.Kit(own.Name(d.ID))
	assert.NoError(t, err, "it is there after a start")
}

func TestChangingAndDroppingWhatIsPicked(t *testing.T) {
	svc, s, d := setup(t)
	ctx := t.Context()
	_, err := svc.Pick(ctx, testkit.Anyone, d.ID, errorsDraft("ifInErrors", "14"), "")
	require.NoError(t, err)
	parts, err := s.Parts.Add(ctx, []domain.Part{{DeviceID: d.ID, Kit: own.Name(d.ID), Kind: "ifEntry", Key: "1", Name: "1"}})
	require.NoError(t, err)
	_, err = svc.Pick(ctx, testkit.Anyone, d.ID, errorsDraft("ifOutErrors", "20"), "")
	require.NoError(t, err)
	series, err := s.Series.Of(ctx, d.ID)
	require.NoError(t, err)
	require.Len(t, series, 2, "rows that are there get the further reading, and the first one, at once")
	assert.Equal(t, parts[0].ID, series[0].PartID)

	picked, err := svc.Own(ctx, testkit.Anyone, d.ID)
	require.NoError(t, err)
	change, _ := picked.Reading("ifinerrors")
	change.Name, change.Unit, change.Treat, change.Codes = "State", "", own.State, nil
	_, err = svc.Pick(ctx, testkit.Anyone, d.ID, change, "")
	assert.ErrorContains(t, err, "another kind")
	change, _ = picked.Reading("ifinerrors")
	change.Name = "Errors in"
	_, err = svc.Pick(ctx, testkit.Anyone, d.ID, change, "no such mark")
	assert.ErrorIs(t, err, domain.ErrChanged)
	_, err = svc.Pick(ctx, testkit.Anyone, d.ID, change, picked.Mark)
	require.NoError(t, err)
	series, err = s.Series.Of(ctx, d.ID)
	require.NoError(t, err)
	assert.ElementsMatch(t, []string{"Errors in", "ifOutErrors"}, []string{series[0].Name, series[1].Name}, "series keep their history")

	require.NoError(t, svc.Drop(ctx, testkit.Anyone, d.ID, "ifinerrors", ""))
	series, err = s.Series.Of(ctx, d.ID)
	require.NoError(t, err)
	assert.Len(t, series, 1)
	require.NoError(t, svc.Drop(ctx, testkit.Anyone, d.ID, "ifouterrors", ""))
	left, err := s.Parts.Of(ctx, d.ID)
	require.NoError(t, err)
	assert.Empty(t, left, "parts of which nothing is read are gone")
	fitted, err := svc.FittedTo(ctx, testkit.Anyone, d.ID)
	require.NoError(t, err)
	assert.Empty(t, fitted)
	assert.ErrorIs(t, svc.Drop(ctx, testkit.Anyone, d.ID, "ifouterrors", ""), domain.ErrNotFound)
}

// A device is spoken to with its credential as it is set, and no other one is opened for it.
func TestSpeakingToADevice(t *testing.T) {
	svc, s, d := setup(t)
	ctx := t.Context()
	for _, name := range []string{"pier", "shed"} {
		_, err := s.Credentials.Add(ctx, domain.Credential{Name: name, Kind: "snmp-v2c", Ranges: "192.0.2.0/24"},
			domain.Secrets{"community": domain.Secret(name)})
		require.NoError(t, err)
	}
	all, err := s.Credentials.All(ctx)
	require.NoError(t, err)
	require.NoError(t, s.Endpoints.Save(ctx, domain.Endpoint{DeviceID: d.ID, Way: "snmp", CredentialID: all[1].ID,
		Settings: map[string]string{"port": "1161"}}))
	q, err := svc.Speak(ctx, d, "snmp")
	require.NoError(t, err)
	assert.Equal(t, "1161", q.Endpoint["port"])
	assert.Equal(t, "2s", q.Endpoint["timeout"], "what is not set is as usual")
	assert.Equal(t, "shed", q.Credential.Secrets["community"].Reveal())
	assert.Empty(t, q.Withheld)
	some, err := s.Credentials.SecretsOf(ctx, []domain.ID{all[0].ID})
	require.NoError(t, err)
	assert.Len(t, some, 1)
	_, err = svc.Speak(ctx, d, "semaphore")
	assert.ErrorIs(t, err, domain.ErrNotFound)
}
