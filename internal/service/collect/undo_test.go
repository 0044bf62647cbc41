package collect_test

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/testkit"
)

// What was set for collecting from a device is set back from what was noted.
func TestWhatWasSetForCollectingIsSetBack(t *testing.T) {
	svc, s, d := setup(t)
	ctx := t.Context()
	fit(t, s, d, domain.Fitting{Kit: "reachability"})
	require.NoError(t, svc.SetParameters(ctx, testkit.Anyone, d.ID, "reachability", map[string]string{"method": "tcp", "port": "443"}, ""))
	require.NoError(t, svc.SetParameters(ctx, testkit.Anyone, d.ID, "reachability", map[string]string{"method": "udp"}, ""))
	back := svc.Undoing()["set parameters of a kit"]
	entries, err := s.Audit.Find(ctx, domain.EntryFilter{Act: "set parameters of a kit", Limit: 1})
	require.NoError(t, err)
	assert.JSONEq(t, `{"reachability": {"method": "tcp", "port": "443"}}`, string(entries[0].Before))
	require.NoError(t, back.Put(ctx, testkit.Anyone, d.ID, entries[0].Before))
	present, err := back.Present(ctx, testkit.Anyone, d.ID)
	require.NoError(t, err)
	document, err := json.Marshal(present)
	require.NoError(t, err)
	assert.JSONEq(t, string(entries[0].Before), string(document))

	set := func(port string) {
		draft := collect.EndpointDraft{Settings: map[string]string{"port": port}}
		require.NoError(t, svc.SetEndpoint(ctx, testkit.Anyone, d.ID, "snmp", draft))
	}
	set("1161")
	set("2161")
	entries, err = s.Audit.Find(ctx, domain.EntryFilter{Act: "set how a device is asked", Limit: 2})
	require.NoError(t, err)
	back = svc.Undoing()["set how a device is asked"]
	require.NoError(t, back.Put(ctx, testkit.Anyone, d.ID, entries[0].Before))
	port := func() string {
		all, err := s.Endpoints.Of(ctx, d.ID)
		require.NoError(t, err)
		return all[0].Settings["port"]
	}
	assert.Equal(t, "1161", port())
	require.NoError(t, back.Put(ctx, testkit.Anyone, d.ID, entries[1].Before))
	assert.Equal(t, "161", port(), "before it was set it was as usual")
}
