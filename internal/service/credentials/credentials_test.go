package credentials_test

import (
	"context"
	"net/netip"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/credentials"
	"tirelessowl/internal/store"
	"tirelessowl/internal/testkit"
)

func TestMain(m *testing.M) { testkit.Main(m) }

// world has two organisations, Line and Other.
type world struct {
	*credentials.Service
	store       *store.Store
	line, other domain.ID
	reloads     *int
}

func setup(t *testing.T) world {
	t.Helper()
	s := testkit.Store(t)
	w := world{store: s, reloads: new(int)}
	w.Service = credentials.New(testkit.Desk(s), testkit.Ways.Described(), func(context.Context) error { *w.reloads++; return nil })
	for name, id := range map[string]*domain.ID{"Line": &w.line, "Other": &w.other} {
		p, err := s.Places.Save(t.Context(), domain.Place{Name: name, Kind: domain.Organisation})
		require.NoError(t, err)
		*id = p.ID
	}
	return w
}

// user is a draft of a user of version 3.
func (w world) user(change func(*credentials.Draft)) credentials.Draft {
	d := credentials.Draft{Name: "Watch", Kind: "snmp-v3", PlaceID: w.line, Ranges: "192.0.2.0/24", Values: map[string]string{
		"user": "night-watch",
		"auth": "sha256", "auth_password": "a lamp on the pier",
		"privacy": "aes128", "priv_password": "a rope at the quay",
	}}
	if change != nil {
		change(&d)
	}
	return d
}

func (w world) secrets(t *testing.T, id domain.ID) domain.Secrets {
	t.Helper()
	all, err := w.store.Credentials.Secrets(t.Context())
	require.NoError(t, err)
	return all[id].Secrets
}

func TestAUserIsStoredAndNeverShownAgain(t *testing.T) {
	w, ctx := setup(t), t.Context()
	made, err := w.Make(ctx, testkit.Anyone, w.user(nil))
	require.NoError(t, err)
	one, err := w.One(ctx, testkit.Anyone, made.ID)
	require.NoError(t, err)
	assert.Equal(t, map[string]string{"user": "night-watch", "auth": "sha256", "privacy": "aes128"}, one.Settings)
	assert.Equal(t, []string{"auth_password", "priv_password"}, one.Secrets)
	assert.Equal(t, "SNMP v3 user", one.About.Title)
	assert.WithinDuration(t, time.Now(), one.SealedAt, time.Minute)
	assert.Equal(t, domain.Secrets{"auth_password": "a lamp on the pier", "priv_password": "a rope at the quay"}, w.secrets(t, made.ID))
	noted, err := w.store.Audit.Find(ctx, domain.EntryFilter{Limit: 5})
	require.NoError(t, err)
	require.Len(t, noted, 1)
	assert.NotContains(t, string(noted[0].After), "lamp")
}

func TestWhatCannotBeACredentialIsToldAtItsField(t *testing.T) {
	w := setup(t)
	for name, c := range map[string]struct {
		change func(*credentials.Draft)
		field  string
	}{
		"no name":                        {func(d *credentials.Draft) { d.Name = " " }, "name"},
		"a long name":                    {func(d *credentials.Draft) { d.Name = strings.Repeat("x", 201) }, "name"},
		"an unknown kind":                {func(d *credentials.Draft) { d.Kind = "x" }, "kind"},
		"no addresses":                   {func(d *credentials.Draft) { d.Ranges = "pier" }, "ranges"},
		"addresses without end":          {func(d *credentials.Draft) { d.Ranges = strings.Repeat("192.0.2.1,", 2000) }, "ranges"},
		"no user":                        {func(d *credentials.Draft) { d.Values["user"] = "" }, "user"},
		"a long user":                    {func(d *credentials.Draft) { d.Values["user"] = strings.Repeat("x", 33) }, "user"},
		"an unknown way":                 {func(d *credentials.Draft) { d.Values["auth"] = "sha3" }, "auth"},
		"a short password":               {func(d *credentials.Draft) { d.Values["auth_password"] = "seven b" }, "auth_password"},
		"no password":                    {func(d *credentials.Draft) { d.Values["auth_password"] = "" }, "auth_password"},
		"none for privacy":               {func(d *credentials.Draft) { delete(d.Values, "priv_password") }, "priv_password"},
		"privacy without authentication": {func(d *credentials.Draft) { d.Values["auth"] = "none" }, "privacy"},
		"a setting that is none":         {func(d *credentials.Draft) { d.Values["colour"] = "red" }, "colour"},
		"no community": {func(d *credentials.Draft) {
			d.Kind, d.Values = "snmp-v1", map[string]string{}
		}, "community"},
	} {
		_, err := w.Make(t.Context(), testkit.Anyone, w.user(c.change))
		var errs domain.FieldErrors
		require.ErrorAs(t, err, &errs, name)
		assert.NotEmpty(t, errs[c.field], "%s: %v", name, errs)
	}
	open := w.user(func(d *credentials.Draft) {
		d.Values = map[string]string{"user": "anybody", "auth": "none", "privacy": "none"}
	})
	_, err := w.Make(t.Context(), testkit.Anyone, open)
	assert.NoError(t, err, "a user without protection needs no password")
}

// Bound to more addresses, a credential would be sent where whoever changes it may listen.
func TestMoreAddressesNeedTheSecretsAgain(t *testing.T) {
	w, ctx := setup(t), t.Context()
	made, err := w.Make(ctx, testkit.Anyone, w.user(nil))
	require.NoError(t, err)
	change := func(f func(*credentials.Draft)) error {
		_, err := w.Change(ctx, testkit.Anyone, made.ID, w.user(func(d *credentials.Draft) {
			delete(d.Values, "auth_password")
			delete(d.Values, "priv_password")
			f(d)
		}))
		return err
	}
	require.NoError(t, change(func(d *credentials.Draft) { d.Ranges = "192.0.2.0/25"; d.Name = "Watch of the pier" }))
	assert.Equal(t, 1, *w.reloads)
	assert.Len(t, w.secrets(t, made.ID), 2, "what is not typed stays")
	var errs domain.FieldErrors
	require.ErrorAs(t, change(func(d *credentials.Draft) { d.Ranges = "192.0.2.0/25, 198.51.100.7" }), &errs)
	assert.Contains(t, errs["auth_password"], "Type it again")
	assert.Contains(t, errs["priv_password"], "Type it again")
	require.ErrorAs(t, change(func(d *credentials.Draft) {
		d.Ranges, d.Values["auth_password"] = "198.51.100.7", "a lamp on the quay"
	}), &errs)
	assert.Contains(t, errs["priv_password"], "Type it again", "all of them")
	require.NoError(t, change(func(d *credentials.Draft) {
		d.Ranges = "198.51.100.7"
		d.Values["auth_password"], d.Values["priv_password"] = "a lamp on the quay", "a rope at the pier"
	}))
	assert.Equal(t, domain.Secret("a rope at the pier"), w.secrets(t, made.ID)["priv_password"])
}

func TestTheSecondWhoChangesACredentialIsTold(t *testing.T) {
	w, ctx := setup(t), t.Context()
	made, err := w.Make(ctx, testkit.Anyone, w.user(nil))
	require.NoError(t, err)
	seen := w.user(func(d *credentials.Draft) { d.Version = made.Version; d.Name = "first" })
	_, err = w.Change(ctx, testkit.Anyone, made.ID, seen)
	require.NoError(t, err)
	_, err = w.Change(ctx, testkit.Anyone, made.ID, seen)
	assert.ErrorIs(t, err, domain.ErrChanged)
	assert.ErrorIs(t, w.Remove(ctx, testkit.Anyone, made.ID, made.Version), domain.ErrChanged)
}

func TestNamesAreTakenInOnePlaceOnly(t *testing.T) {
	w, ctx := setup(t), t.Context()
	_, err := w.Make(ctx, testkit.Anyone, w.user(nil))
	require.NoError(t, err)
	_, err = w.Make(ctx, testkit.Anyone, w.user(nil))
	var errs domain.FieldErrors
	require.ErrorAs(t, err, &errs)
	assert.Contains(t, errs["name"], "already")
	_, err = w.Make(ctx, testkit.Anyone, w.user(func(d *credentials.Draft) { d.PlaceID = w.other }))
	assert.NoError(t, err, "what another organisation calls its own is not told")
}

func TestACredentialThatIsUsedStays(t *testing.T) {
	w, ctx := setup(t), t.Context()
	made, err := w.Make(ctx, testkit.Anyone, w.user(nil))
	require.NoError(t, err)
	d, err := w.store.Devices.Add(ctx, domain.Device{PlaceID: w.line, Name: "np-sw-1", Address: netip.MustParseAddr("192.0.2.1"),
		CreatedAt: time.Now()}, "", nil)
	require.NoError(t, err)
	e := domain.Endpoint{DeviceID: d.ID, Way: "snmp", CredentialID: made.ID, Settings: map[string]string{}}
	require.NoError(t, w.store.Endpoints.Save(ctx, e))
	set := domain.Override{PlaceID: w.line, Key: domain.SettingCredential("snmp"), Value: "1"}
	require.NoError(t, w.store.Overrides.Set(ctx, set, 0))
	err = w.Remove(ctx, testkit.Anyone, made.ID, 0)
	require.ErrorIs(t, err, domain.ErrConflict)
	assert.ErrorContains(t, err, "Watch is used by 1 device and 1 setting")
	require.NoError(t, w.store.Overrides.Unset(ctx, set))
	e.CredentialID = 0
	require.NoError(t, w.store.Endpoints.Save(ctx, e))
	require.NoError(t, w.Remove(ctx, testkit.Anyone, made.ID, 0))
	_, err = w.One(ctx, testkit.Anyone, made.ID)
	assert.ErrorIs(t, err, domain.ErrNotFound)
}

func TestACredentialGoesOnlyToPlacesThatOneConfigures(t *testing.T) {
	w, ctx := setup(t), t.Context()
	made, err := w.Make(ctx, testkit.Anyone, w.user(nil))
	require.NoError(t, err)
	places, err := w.store.Places.All(ctx)
	require.NoError(t, err)
	given := access.Given{Grant: domain.Grant{PlaceID: w.line, Level: domain.AccessConfigure}}
	marek := access.Actor{Kind: access.Person, ID: 9, Name: "marek", Sheet: access.NewSheet(access.NewTree(places), []access.Given{given})}
	_, err = w.Change(ctx, marek, made.ID, w.user(func(d *credentials.Draft) { d.PlaceID = w.other }))
	var errs domain.FieldErrors
	require.ErrorAs(t, err, &errs)
	assert.NotEmpty(t, errs["place"])
	_, err = w.Make(ctx, marek, w.user(func(d *credentials.Draft) { d.PlaceID = 0 }))
	assert.ErrorIs(t, err, domain.ErrForbidden, "the whole tree is not his")
}
