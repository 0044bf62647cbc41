package collect_test

import (
	"net"
	"net/netip"
	"strconv"
	"testing"

	"tirelessowl/internal/testkit"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/store"
)

func fit(t *testing.T, s *store.Store, d domain.Device, kits ...domain.Fitting) {
	t.Helper()
	for _, f := range kits {
		f.DeviceID = d.ID
		require.NoError(t, s.Fittings.Fit(t.Context(), f))
	}
}

func draftAt(address string) collect.EndpointDraft {
	return collect.EndpointDraft{Address: address, Settings: map[string]string{"port": "1161"}}
}

func waysOf(endpoints []collect.Endpoint) (out []string) {
	for _, e := range endpoints {
		out = append(out, e.Way.Name)
	}
	return out
}

func TestEndpointsAreThoseInUse(t *testing.T) {
	svc, s, d := setup(t)
	ctx := t.Context()
	got, err := svc.Endpoints(ctx, testkit.Anyone, d.ID)
	require.NoError(t, err)
	assert.Empty(t, got, "nothing is fitted, nothing is set")

	fit(t, s, d, domain.Fitting{Kit: "reachability"}, domain.Fitting{Kit: "long gone"})
	c, err := s.Credentials.Add(
		ctx,
		domain.Credential{Name: "Pier", Kind: "snmp-v2c", Ranges: "192.0.2.0/24, 127.0.0.0/8"},
		domain.Secrets{"community": "quay"},
	)
	require.NoError(t, err)
	_, err = s.Credentials.Add(ctx, domain.Credential{Name: "Key", Kind: "key"}, nil)
	require.NoError(t, err)
	got, err = svc.Endpoints(ctx, testkit.Anyone, d.ID)
	require.NoError(t, err)
	require.Equal(t, []string{"snmp"}, waysOf(got))
	assert.False(t, got[0].Set)
	require.Len(t, got[0].Credentials, 1, "only those that the way takes")
	assert.Equal(t, c.ID, got[0].Credentials[0].ID)

	fit(t, s, d, domain.Fitting{Kit: "reachability", Parameters: map[string]string{"method": "tcp"}})
	got, err = svc.Endpoints(ctx, testkit.Anyone, d.ID)
	require.NoError(t, err)
	assert.Equal(t, []string{"tcp"}, waysOf(got), "the parameter says by which way")
	require.NoError(
		t,
		svc.SetEndpoint(
			ctx,
			testkit.Anyone,
			d.ID,
			"snmp",
			collect.EndpointDraft{CredentialID: c.ID, Settings: map[string]string{"port": "1161"}},
		),
	)
	got, err = svc.Endpoints(ctx, testkit.Anyone, d.ID)
	require.NoError(t, err)
	require.Equal(t, []string{"snmp", "tcp"}, waysOf(got), "what is set is shown, used or not")
	assert.True(t, got[0].Set)
	assert.Equal(t, "1161", got[0].Settings["port"])
}

func TestWrongEndpointsAreRefused(t *testing.T) {
	svc, s, d := setup(t)
	ctx := t.Context()
	key, err := s.Credentials.Add(ctx, domain.Credential{Name: "Key", Kind: "key"}, nil)
	require.NoError(t, err)
	for field, draft := range map[string]collect.EndpointDraft{
		"address":    {Address: "boathouse.example"},
		"credential": {CredentialID: key.ID},
		"port":       {Settings: map[string]string{"port": "90abc"}},
	} {
		var fields domain.FieldErrors
		require.ErrorAs(t, svc.SetEndpoint(ctx, testkit.Anyone, d.ID, "snmp", draft), &fields, field)
		assert.Contains(t, fields, field)
		assert.Len(t, fields, 1, field)
	}
	var fields domain.FieldErrors
	require.ErrorAs(t, svc.SetEndpoint(ctx, testkit.Anyone, d.ID, "snmp", collect.EndpointDraft{Address: "fe80::1%eth0"}), &fields)
	assert.Contains(t, fields, "address", "an address of one link only")
	assert.ErrorIs(t, svc.SetEndpoint(ctx, testkit.Anyone, d.ID, "pigeon", collect.EndpointDraft{}), domain.ErrNotFound)
	assert.ErrorIs(t, svc.SetEndpoint(ctx, testkit.Anyone, d.ID+1, "snmp", collect.EndpointDraft{}), domain.ErrNotFound)
	stored, err := s.Endpoints.Of(ctx, d.ID)
	require.NoError(t, err)
	assert.Empty(t, stored, "nothing was kept of it")
}

func TestATrialAsksWithWhatIsNotSavedYet(t *testing.T) {
	svc, s, d := setup(t)
	ctx := t.Context()
	door, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { _ = door.Close() })
	at := netip.MustParseAddrPort(door.Addr().String())
	draft := collect.EndpointDraft{Address: at.Addr().String(), Settings: map[string]string{"port": strconv.Itoa(int(at.Port()))}}

	_, err = svc.Try(ctx, testkit.Anyone, d.ID, "tcp", draft)
	assert.ErrorIs(t, err, domain.ErrConflict, "no kit asks by this way")
	fit(t, s, d, domain.Fitting{Kit: "long gone"}, domain.Fitting{Kit: "reachability", Parameters: map[string]string{"method": "tcp"}})
	_, err = svc.Try(ctx, testkit.Anyone, d.ID, "snmp", collect.EndpointDraft{})
	assert.ErrorIs(t, err, domain.ErrConflict, "the kit asks by another way")
	got, err := svc.Try(ctx, testkit.Anyone, d.ID, "tcp", draft)
	require.NoError(t, err)
	assert.Equal(t, "reachability", got.Kit)
	assert.Equal(t, "probe", got.Source)
	assert.Equal(t, "tcp", got.Way)
	require.Len(t, got.Fetched.Rows, 1)
	assert.NotEmpty(t, got.Exchange)
	stored, err := s.Endpoints.Of(ctx, d.ID)
	require.NoError(t, err)
	assert.Empty(t, stored, "a trial keeps nothing")

	require.NoError(t, door.Close())
	got, err = svc.Try(ctx, testkit.Anyone, d.ID, "tcp", draft)
	require.NoError(t, err, "no answer is an answer, too")
	assert.NotEmpty(t, got.Fetched.Error)
	_, err = svc.Try(ctx, testkit.Anyone, d.ID, "tcp", collect.EndpointDraft{Address: "x"})
	var fields domain.FieldErrors
	assert.ErrorAs(t, err, &fields)
	_, err = svc.Try(ctx, testkit.Anyone, d.ID+1, "tcp", draft)
	assert.ErrorIs(t, err, domain.ErrNotFound)
}
