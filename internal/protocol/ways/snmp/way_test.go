package snmp_test

import (
	"context"
	"fmt"
	"net/netip"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	client "tirelessowl/internal/protocol/snmp"
	"tirelessowl/internal/protocol/ways"
	"tirelessowl/internal/protocol/ways/snmp"
	"tirelessowl/internal/sim"
)

const port = 16392

var first = netip.MustParseAddr("127.92.0.0")

// setup runs a small fleet and the way to ask it.
func setup(t *testing.T) (ways.List, netip.Addr) {
	t.Helper()
	ctx, stop := context.WithCancel(t.Context())
	done := make(chan error, 1)
	fleet := sim.NewFleet(first, 2, 3)
	fleet.User = sim.NewSNMPUser("watch", "a lamp on the pier", "a rope at the quay")
	go func() { done <- fleet.Serve(ctx, port, "c") }()
	c, err := client.NewClient()
	require.NoError(t, err)
	t.Cleanup(func() { c.Close(); stop(); <-done })
	all := ways.List{snmp.Way(c)}
	device := sim.Offset(first, 0, 1)
	require.Eventually(
		t,
		func() bool { return all.Ask(t.Context(), question(device, "hello")).Error == "" },
		5*time.Second,
		10*time.Millisecond,
	)
	return all, device
}

func question(at netip.Addr, form string, columns ...way.Column) way.Question {
	return way.Question{
		Way:        "snmp",
		Address:    at,
		Endpoint:   way.Settings{"port": fmt.Sprint(port), "timeout": "200ms", "retries": "0"},
		Credential: way.Opened{Kind: "snmp-v2c", Secrets: domain.Secrets{"community": "c"}},
		Ask:        way.Settings{"form": form, "count": "2", "timeout": "150ms"},
		Columns:    columns,
	}
}

func TestWalkBringsRowsAndUptime(t *testing.T) {
	all, device := setup(t)
	q := question(
		device,
		"walk",
		way.Column{As: "name", Of: "1.3.6.1.2.1.31.1.1.1.1"},
		way.Column{As: "in", Of: "1.3.6.1.2.1.31.1.1.1.6"},
		way.Column{As: "none", Of: "1.3.6.1.2.1.99"},
	)
	q.Exchange = way.NewExchange(time.Now())
	got := all.Ask(t.Context(), q)
	require.Empty(t, got.Error)
	require.Len(t, got.Rows, 3)
	assert.Equal(t, "port2", got.Rows[1].Values[0].Text)
	assert.Equal(t, derive.Counter64, got.Rows[1].Values[1].Kind)
	assert.Equal(t, derive.Missing, got.Rows[1].Values[2].Kind)
	assert.True(t, got.UptimeKnown)
	assert.InDelta(t, 3600*100, float64(got.Uptime), 100*60, "the fleet booted an hour ago")
	assert.WithinDuration(t, time.Now(), got.At, time.Minute)
	require.Len(t, q.Exchange.Lines, 5, "the question, how many rows, each row")
	assert.Contains(t, q.Exchange.Lines[3].Text, "name = port2")
}

func TestGetBringsOneRow(t *testing.T) {
	all, device := setup(t)
	got := all.Ask(
		t.Context(),
		question(device, "get", way.Column{As: "name", Of: "1.3.6.1.2.1.1.5.0"}, way.Column{As: "nothing", Of: "1.3.6.1.2.1.1.99.0"}),
	)
	require.Empty(t, got.Error)
	require.Len(t, got.Rows, 1)
	assert.Equal(t, "fleet-0", got.Rows[0].Values[0].Text)
	assert.Equal(t, derive.Missing, got.Rows[0].Values[1].Kind)
	assert.True(t, got.UptimeKnown)
}

func TestHelloTellsLossAndTime(t *testing.T) {
	all, device := setup(t)
	got := all.Ask(t.Context(), question(device, "hello"))
	assert.Empty(t, got.Error)
	assert.Positive(t, got.Rows[0].Values[0].Num)
	assert.Equal(t, 0.0, got.Rows[0].Values[1].Num)
	silent := all.Ask(t.Context(), question(netip.MustParseAddr("127.92.9.9"), "hello"))
	assert.True(t, silent.NoAnswer)
	assert.Equal(t, 100.0, silent.Rows[0].Values[1].Num)
	assert.Equal(t, derive.Missing, silent.Rows[0].Values[0].Kind, "what did not answer has no answer time")
	assert.Contains(t, silent.Error, "no answer")
}

func TestWrongCommunityIsSilence(t *testing.T) {
	all, device := setup(t)
	q := question(device, "get", way.Column{As: "name", Of: "1.3.6.1.2.1.1.5.0"})
	q.Credential.Secrets["community"] = "wrong-one"
	got := all.Ask(t.Context(), q)
	assert.True(t, got.NoAnswer)
	assert.NotContains(t, got.Error, "wrong-one", "the community is never shown")
}

func TestObjectIdentifiersAreChecked(t *testing.T) {
	for of, ok := range map[string]bool{
		"1.3.6.1.2.1.1.5.0": true, "0.1": true, "1": false, "3.1": false, "1.03": false,
		"1.3.": false, "": false, "1.3; drop": false} {
		assert.Equal(t, ok, snmp.Description.CheckColumn(of) == nil, of)
	}
}

func TestRequestsFollowTheRows(t *testing.T) {
	for _, c := range []struct {
		form string
		rows int
		want float64
	}{{"get", 0, 1}, {"walk", 0, 1}, {"walk", 48, 7}, {"hello", 10, 3}} { // 48 rows, 8 an answer, and the end
		assert.Equal(t, c.want, snmp.Description.Requests(way.Settings{"form": c.form, "count": "3"}, c.rows), c)
	}
}

// by is a credential of version 3, with a password of authentication.
func by(user, password string) way.Opened {
	return way.Opened{
		Kind:     "snmp-v3",
		Settings: way.Settings{"user": user, "auth": "sha256", "privacy": "aes128"},
		Secrets:  domain.Secrets{"auth_password": domain.Secret(password), "priv_password": "a rope at the quay"},
	}
}

func TestAllVersionsBringTheSame(t *testing.T) {
	all, device := setup(t)
	columns := []way.Column{{As: "name", Of: "1.3.6.1.2.1.31.1.1.1.1"}, {As: "status", Of: "1.3.6.1.2.1.2.2.1.8"}}
	q := question(device, "walk", columns...)
	want := all.Ask(t.Context(), q)
	require.Len(t, want.Rows, 3)
	for name, c := range map[string]way.Opened{
		"version 1": {Kind: "snmp-v1", Secrets: domain.Secrets{"community": "c"}},
		"version 3": by("watch", "a lamp on the pier"),
	} {
		q.Credential = c
		got := all.Ask(t.Context(), q)
		require.Empty(t, got.Error, name)
		require.Len(t, got.Rows, 3, name)
		for i, row := range got.Rows {
			assert.Equal(t, want.Rows[i].Index, row.Index, name)
			assert.Equal(t, want.Rows[i].Values[0], row.Values[0], name)
		}
		assert.True(t, got.UptimeKnown, name)
		one := question(device, "get", way.Column{As: "nothing", Of: "1.3.6.1.2.1.1.99.0"}, way.Column{As: "name", Of: "1.3.6.1.2.1.1.5.0"})
		one.Credential = c
		got = all.Ask(t.Context(), one)
		require.Empty(t, got.Error, name)
		assert.Equal(t, derive.Missing, got.Rows[0].Values[0].Kind, "%s: what is not there is missing, the rest is not", name)
		assert.Equal(t, "fleet-0", got.Rows[0].Values[1].Text, name)
	}
	wide := question(device, "walk", way.Column{As: "in", Of: "1.3.6.1.2.1.31.1.1.1.6"})
	wide.Credential = way.Opened{Kind: "snmp-v1", Secrets: domain.Secrets{"community": "c"}}
	assert.Empty(t, all.Ask(t.Context(), wide).Rows, "version 1 has no counters of 64 bits")
}

// An agent that denies is there: its device is not down.
func TestToDenyIsToBeThere(t *testing.T) {
	all, device := setup(t)
	for name, c := range map[string]way.Opened{
		"another user":     by("nobody", "a lamp on the pier"),
		"another password": by("watch", "a lamp on the quay"),
	} {
		q := question(device, "hello")
		q.Credential = c
		got := all.Ask(t.Context(), q)
		assert.Empty(t, got.Error, name)
		assert.Equal(t, 0.0, got.Rows[0].Values[1].Num, "%s: nothing is lost", name)
		q = question(device, "get", way.Column{As: "name", Of: "1.3.6.1.2.1.1.5.0"})
		q.Credential = c
		got = all.Ask(t.Context(), q)
		assert.Equal(t, derive.Denied, got.Failure, name)
		assert.False(t, got.NoAnswer, name)
		assert.Contains(t, got.Error, "does not accept the credential", name)
	}
}
