package collect_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/testkit"
)

// Who has seen what is no more there changes nothing.
func TestTwoWhoSetUpOneDevice(t *testing.T) {
	svc, s, d := setup(t)
	ctx := t.Context()
	fit(t, s, d, domain.Fitting{Kit: "reachability"})
	fit(t, s, d, domain.Fitting{Kit: "system"})
	seen := func() (collect.FittedKit, collect.Endpoint) {
		fitted, err := svc.FittedTo(ctx, testkit.Anyone, d.ID)
		require.NoError(t, err)
		endpoints, err := svc.Endpoints(ctx, testkit.Anyone, d.ID)
		require.NoError(t, err)
		require.NotEmpty(t, endpoints)
		return fitted[0], endpoints[0]
	}
	kit, endpoint := seen()
	set := func(method, mark string) error {
		return svc.SetParameters(ctx, testkit.Anyone, d.ID, kit.Kit.Name, map[string]string{"method": method}, mark)
	}
	ask := func(port, mark string) error {
		draft := collect.EndpointDraft{Settings: map[string]string{"port": port}, Mark: mark}
		return svc.SetEndpoint(ctx, testkit.Anyone, d.ID, endpoint.Way.Name, draft)
	}
	require.NoError(t, set("tcp", kit.Mark))
	assert.ErrorIs(t, set("udp", kit.Mark), domain.ErrChanged)
	require.NoError(t, ask("1161", endpoint.Mark), "the usual settings were seen")
	assert.ErrorIs(t, ask("2161", endpoint.Mark), domain.ErrChanged)
	now, at := seen()
	assert.Equal(t, "tcp", now.Parameters["method"])
	assert.Equal(t, "1161", at.Settings["port"])
	require.NoError(t, set("udp", now.Mark))
	require.NoError(t, ask("2161", at.Mark))
	require.NoError(t, set("tcp", ""), "whatever is there")
	require.NoError(t, ask("161", ""))
}
