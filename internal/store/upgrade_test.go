package store_test

import (
	"context"
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
const firstRelease = `
INSERT INTO places (parent_id, name, kind) VALUES (NULL, 'Kittiwake Line', 'organisation'), (1, 'North Pier', 'site');
INSERT INTO credentials (name, kind, sealed) VALUES ('Kittiwake read', 'snmp-v2c', decode('COMMUNITY', 'base64'));
INSERT INTO devices (place_id, name, address, port, kind, identity, credential_id, health) VALUES
  (2, 'np-edge-1', '192.0.2.254', 1161, 'router', 'engine:a', 1, 'fine'),
  (2, 'np-kiosk-1', '192.0.2.9', 161, 'host', '', NULL, 'critical'),
  (2, 'np-cctv-1', '2001:db8::9', 8080, 'camera', '', NULL, 'fine');
UPDATE places SET gateway_id = 1 WHERE id = 2;
UPDATE devices SET via_id = 2 WHERE id = 3;
INSERT INTO device_addresses VALUES (1, '192.0.2.254'), (1, '198.51.100.1');
INSERT INTO fittings (device_id, kit, parameters) VALUES (1, 'interfaces', '{}'), (2, 'reachability', '{}'), (3, 'reachability', '{"method": "tcp"}');
INSERT INTO parts (device_id, kit, kind, key, index, name, speed) VALUES (1, 'interfaces', 'interface', 'wan0', '1', 'wan0', 1e9);
INSERT INTO series (device_id, part_id, kit, reading, name, unit, every_s, state) VALUES
  (1, 1, 'interfaces', 'in_errors', 'Errors in', '1/s', 60, 'ok'), (2, NULL, 'reachability', 'loss', 'Loss', '%', 15, 'ok');
INSERT INTO rules (name, kit, reading, unit, side, in_a_row, recover_in_a_row, limits, title, runbook, cause, enabled) VALUES
  ('Does not answer', 'reachability', 'loss', '%', 'above', 2, 1, '{"3": {"raise": 99, "recover": 50}}', '{device} does not answer', 'Is it powered?', 'reach', true),
  ('Volumes on the ships', 'host-resources', 'volume_share', '%', 'above', 5, 3, '{"1": {"raise": 70, "recover": 68}, "2": {"raise": 91.5, "recover": 87}}', 't', '', 'volume', false),
  ('Our own', 'reachability', 'time', 's', 'below', 1, 1, '{"2": {"raise": 0.5, "recover": 0.7}}', 't', '', 'ours', true);
INSERT INTO rule_states VALUES (1, 2, 3, false, '2026-01-05T03:40:00Z', '{"question": "Why critical?"}');
INSERT INTO transitions (device_id, series_id, rule_id, from_health, to_health, at, reason, why) VALUES (2, 2, 1, 'fine', 'critical', '2026-01-05T03:40:00Z', 'loss 100 %', '{}');
INSERT INTO incidents (device_id, cause, title, level, state, opened_at, episode_at, acknowledged_at, acknowledged_by, why)
  VALUES (2, 'reach', 'np-kiosk-1 does not answer', 3, 'acknowledged', '2026-01-05T03:40:00Z', '2026-01-05T03:40:00Z', '2026-01-05T03:45:00Z', 'Ines', '{}');
INSERT INTO alerts (rule_id, series_id, device_id, incident_id, level, cause, title, first_bad_at, opened_at, value, limit_value, unit, why)
  VALUES (1, 2, 2, 1, 3, 'reach', 'np-kiosk-1 does not answer', '2026-01-05T03:39:45Z', '2026-01-05T03:40:00Z', 100, 99, '%', '{}');
INSERT INTO channels (name, kind, settings, sealed) VALUES
  ('Mail', 'mail', '{"host": "mail.kittiwake.example", "port": "25", "from": "owl@kittiwake.example"}', decode('PASSWORD', 'base64')),
  ('Desk', 'desk', '{"url": "http://desk.kittiwake.example"}', decode('TOKEN', 'base64')), ('Without', 'mail', '{"host": "b"}', NULL);
INSERT INTO plans (name, steps) VALUES ('Shore desk', '[{"key": "mail", "title": "mail", "on": ["alert"], "at_least": 2, "kind": "mail", "channel_id": 1, "to": ["a@kittiwake.example"]},
  {"key": "ticket", "title": "ticket", "on": ["alert"], "at_least": 3, "kind": "ticket", "channel_id": 2}, {"key": "note", "title": "note", "on": ["recovered"], "kind": "ticket note", "channel_id": 2}]'), ('Empty', '[]');
INSERT INTO deliveries (incident_id, plan, step, event, level, kind, channel_id, recipient, subject, body, state, created_at, next_try_at, why) VALUES
  (1, 'Shore desk', 'mail', 'alert', 3, 'mail', 1, 'a@kittiwake.example', 's', 'b', 'sent', '2026-01-05T03:40:00Z', '2026-01-05T03:40:00Z', '{}'),
  (1, 'Shore desk', 'ticket', 'alert', 3, 'ticket', 2, 'desk', 's', 'b', 'sent', '2026-01-05T03:40:00Z', '2026-01-05T03:40:00Z', '{}'),
  (1, 'Shore desk', 'note', 'comment', 3, 'ticket note', 2, 'desk', 's', 'b', 'waiting', '2026-01-05T03:50:00Z', '2026-01-05T03:50:00Z', '{}');
INSERT INTO tickets (incident_id, channel_id, number, url, state, created_at) VALUES (1, 2, 'KL-1041', 'http://desk.kittiwake.example/1041', 'open', '2026-01-05T03:40:10Z');
INSERT INTO events (incident_id, at, kind, level, text, by, why) VALUES (1, '2026-01-05T03:45:00Z', 'acknowledged', 3, 'Ines acknowledged', 'Ines', '{}');
INSERT INTO sweeps (name, ranges, port, pace, state) VALUES ('pier', '192.0.2.0/24', 161, 500, 'done');
INSERT INTO sweep_credentials VALUES (1, 1, 0);
`

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
	changes, err := s.Transitions.Find(ctx, store.TransitionFilter{DeviceID: 2})
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
		"Volumes on the ships | volume | false | Warning above 91.5 %, notice above 70 % for 5 values in a row; fine again at or below 68 % for 3 values in a row.",
		"Our own |  | true | Warning below 500 ms; fine again at or above 700 ms.",
	}, words)
}
