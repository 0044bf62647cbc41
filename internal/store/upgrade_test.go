package store_test

import (
	"context"
	_ "embed"
	"encoding/base64"
	"fmt"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/core/rule/kinds"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
	"tirelessowl/internal/testkit"
)

// firstRelease is what a database of the first release held: two sites, a
// router that one is reached through, a renamed and switched-off rule of a kit,
// one that was made by hand, an incident with its story, a plan, channels.
//
//go:embed testdata/first_release.sql
var firstRelease string

// A database of each earlier version comes up with all that it held; the
// newest one that goes back one or several versions does, too.
func TestEachEarlierVersionComesUpWithAllItHeld(t *testing.T) {
	ctx := t.Context()
	newest, err := testkit.OpenStore(t, testkit.EmptyURL(t)).Migrate(ctx)
	require.NoError(t, err)
	for from := int64(1); from < newest; from++ {
		t.Run(fmt.Sprint("from ", from), func(t *testing.T) {
			t.Parallel()
			s := held(t, from)
			_, err := s.Migrate(t.Context())
			require.NoError(t, err)
			checkHeld(t, s)
			if from >= 8 { // since the release before this one
				require.NoError(t, s.MigrateTo(t.Context(), from))
				_, err := s.Migrate(t.Context())
				require.NoError(t, err)
				checkHeld(t, s)
			}
		})
	}
}

// held is a database of some version with what the first release held.
func held(t *testing.T, version int64) *store.Store {
	t.Helper()
	ctx := context.Background()
	keys, err := store.OpenVault(filepath.Join(t.TempDir(), "key"))
	require.NoError(t, err)
	s, err := store.Open(ctx, testkit.EmptyURL(t), keys)
	require.NoError(t, err)
	t.Cleanup(s.Close)
	require.NoError(t, s.MigrateTo(ctx, 1))
	sql := firstRelease
	for name, secret := range map[string]domain.Secret{"COMMUNITY": "kittiwake-read", "PASSWORD": "harbour", "TOKEN": "desk-of-kittiwake"} {
		sealed, err := keys.Seal(secret)
		require.NoError(t, err)
		sql = strings.Replace(sql, name, base64.StdEncoding.EncodeToString(sealed), 1)
	}
	_, err = s.Pool().Exec(ctx, sql)
	require.NoError(t, err)
	require.NoError(t, s.MigrateTo(ctx, version))
	return s
}

func checkHeld(t *testing.T, s *store.Store) {
	t.Helper()
	ctx := t.Context()
	checkDevices(t, s)
	checkRules(t, s)

	plans, err := s.Plans.All(ctx)
	require.NoError(t, err)
	require.Len(t, plans, 2)
	var steps []string
	for _, p := range plans {
		for _, step := range p.Steps {
			steps = append(steps, fmt.Sprint(step.Key, " ", step.Kind, " ", step.AtLeast, " ", step.ChannelID, " ", step.To))
		}
	}
	assert.Equal(t, []string{"mail message warning 1 [a@kittiwake.example]", "ticket ticket critical 2 []", "note note fine 2 []"}, steps)

	for id, want := range map[domain.ID]domain.Secrets{1: {"password": "harbour"}, 2: {"token": "desk-of-kittiwake"}, 3: {}} {
		_, secrets, err := s.Channels.One(ctx, id)
		require.NoError(t, err)
		assert.Equal(t, want, secrets)
	}
	in, err := s.Incidents.One(ctx, 1)
	require.NoError(t, err)
	assert.Equal(t, []string{"acknowledged", "Ines"}, []string{string(in.State), in.AcknowledgedBy})
	alert, err := s.Alerts.Open(ctx, 1, 2)
	require.NoError(t, err)
	assert.Equal(t, 99.0, alert.Limit)
	deliveries, err := s.Deliveries.Of(ctx, 1)
	require.NoError(t, err)
	var kinds []string
	for _, d := range deliveries {
		kinds = append(kinds, string(d.Kind)+" "+string(d.State))
	}
	assert.Equal(t, []string{"message sent", "ticket sent", "note waiting"}, kinds)
	ticket, err := s.Tickets.Of(ctx, 1)
	require.NoError(t, err)
	assert.Equal(t, "KL-1041", ticket.Number)
	events, err := s.Events.Of(ctx, 1)
	require.NoError(t, err)
	assert.Len(t, events, 1)
	changes, err := s.Transitions.Find(ctx, domain.TransitionFilter{DeviceID: 2})
	require.NoError(t, err)
	require.Len(t, changes, 1)
	assert.Equal(t, domain.Critical, changes[0].To)
	states, err := s.Rules.States(ctx)
	require.NoError(t, err)
	require.Len(t, states, 1)
	assert.Equal(t, domain.LevelCritical, states[0].Level)
}

func checkDevices(t *testing.T, s *store.Store) {
	t.Helper()
	ctx := t.Context()
	endpoints, err := s.Endpoints.Of(ctx, 0)
	require.NoError(t, err)
	var talks []string
	for _, e := range endpoints {
		talks = append(talks, fmt.Sprint(e.DeviceID, " ", e.Way, " ", e.CredentialID, " ", e.Settings["port"]))
	}
	assert.ElementsMatch(t, []string{"1 snmp 1 1161", "2 snmp 0 161", "3 snmp 0 8080", "3 tcp 0 8080"}, talks)
	secrets, err := s.Credentials.Secrets(ctx)
	require.NoError(t, err)
	assert.Equal(t, "kittiwake-read", secrets[1].Secrets["community"].Reveal())

	places, err := s.Places.All(ctx)
	require.NoError(t, err)
	overrides, err := s.Overrides.All(ctx)
	require.NoError(t, err)
	devices, err := s.Devices.All(ctx)
	require.NoError(t, err)
	require.Len(t, devices, 3)
	tree := inherit.NewTree(places, overrides)
	via := map[string]domain.ID{}
	for _, d := range devices {
		via[d.Name], _ = tree.Gateway(d)
	}
	assert.Equal(t, map[string]domain.ID{"np-edge-1": 0, "np-kiosk-1": 1, "np-cctv-1": 2}, via)
	fittings, err := s.Fittings.Of(ctx, 3)
	require.NoError(t, err)
	assert.Equal(t, map[string]string{"method": "tcp"}, fittings[0].Parameters)
	parts, err := s.Parts.Of(ctx, 1)
	require.NoError(t, err)
	assert.Equal(t, 1e9, parts[0].Speed)
}

func checkRules(t *testing.T, s *store.Store) {
	t.Helper()
	rules, err := s.Rules.All(t.Context())
	require.NoError(t, err)
	var words []string
	for _, r := range rules {
		_, ok := kinds.All.Of(r.Condition.Kind())
		assert.True(t, ok)
		words = append(words, fmt.Sprintf("%s | %s | %t | %s", r.Name, r.Key, r.Enabled, strings.ReplaceAll(r.Words(), "\u00a0", " ")))
	}
	assert.ElementsMatch(t, []string{
		"Does not answer | reach | true | Critical above 99 % for 2 values in a row; fine again at or below 50 %.",
		"Volumes on the ships | volume | false | Warning above 91.5 %, notice above 70 % for 5 values in a row; fine again at " +
			"or below 68 % for 3 values in a row.",
		"Our own |  | true | Warning below 500 ms; fine again at or above 700 ms.",
	}, words)
}
