INSERT INTO places (parent_id, name, kind) VALUES (NULL, 'Kittiwake Line', 'organisation'), (1, 'North Pier', 'site');
INSERT INTO credentials (name, kind, sealed) VALUES ('Kittiwake read', 'snmp-v2c', decode('COMMUNITY', 'base64'));
INSERT INTO devices (place_id, name, address, port, kind, identity, credential_id, health) VALUES
  (2, 'np-edge-1', '192.0.2.254', 1161, 'router', 'engine:a', 1, 'fine'),
  (2, 'np-kiosk-1', '192.0.2.9', 161, 'host', '', NULL, 'critical'),
  (2, 'np-cctv-1', '2001:db8::9', 8080, 'camera', '', NULL, 'fine');
UPDATE places SET gateway_id = 1 WHERE id = 2;
UPDATE devices SET via_id = 2 WHERE id = 3;
INSERT INTO device_addresses VALUES (1, '192.0.2.254'), (1, '198.51.100.1');
INSERT INTO fittings (device_id, kit, parameters) VALUES (1, 'interfaces', '{}'), (2, 'reachability', '{}'), (3,
    'reachability', '{"method": "tcp"}');
INSERT INTO parts (device_id, kit, kind, key, index, name, speed) VALUES (1, 'interfaces', 'interface', 'wan0', '1', 'wan0', 1e9);
INSERT INTO series (device_id, part_id, kit, reading, name, unit, every_s, state) VALUES
  (1, 1, 'interfaces', 'in_errors', 'Errors in', '1/s', 60, 'ok'), (2, NULL, 'reachability', 'loss', 'Loss', '%', 15, 'ok');
INSERT INTO rules (name, kit, reading, unit, side, in_a_row, recover_in_a_row, limits, title, runbook, cause, enabled) VALUES
  ('Does not answer', 'reachability', 'loss', '%', 'above', 2, 1, '{"3": {"raise": 99, "recover": 50}}',
    '{device} does not answer', 'Is it powered?', 'reach', true),
  ('Volumes on the ships', 'host-resources', 'volume_share', '%', 'above', 5, 3, '{"1": {"raise": 70, "recover": 68},
    "2": {"raise": 91.5, "recover": 87}}', 't', '', 'volume', false),
  ('Our own', 'reachability', 'time', 's', 'below', 1, 1, '{"2": {"raise": 0.5, "recover": 0.7}}', 't', '', 'ours', true);
INSERT INTO rule_states VALUES (1, 2, 3, false, '2026-01-05T03:40:00Z', '{"question": "Why critical?"}');
INSERT INTO transitions (device_id, series_id, rule_id, from_health, to_health, at, reason, why) VALUES (2, 2, 1, 'fine',
    'critical', '2026-01-05T03:40:00Z', 'loss 100 %', '{}');
INSERT INTO incidents (device_id, cause, title, level, state, opened_at, episode_at, acknowledged_at, acknowledged_by, why)
  VALUES (2, 'reach', 'np-kiosk-1 does not answer', 3, 'acknowledged', '2026-01-05T03:40:00Z', '2026-01-05T03:40:00Z',
    '2026-01-05T03:45:00Z', 'Ines', '{}');
INSERT INTO alerts (rule_id, series_id, device_id, incident_id, level, cause, title, first_bad_at, opened_at, value,
    limit_value, unit, why)
  VALUES (1, 2, 2, 1, 3, 'reach', 'np-kiosk-1 does not answer', '2026-01-05T03:39:45Z', '2026-01-05T03:40:00Z', 100, 99,
    '%', '{}');
INSERT INTO channels (name, kind, settings, sealed) VALUES
  ('Mail', 'mail', '{"host": "mail.kittiwake.example", "port": "25", "from": "owl@kittiwake.example"}', decode('PASSWORD',
    'base64')),
  ('Desk', 'desk', '{"url": "http://desk.kittiwake.example"}', decode('TOKEN', 'base64')), ('Without', 'mail',
    '{"host": "b"}', NULL);
INSERT INTO plans (name, steps) VALUES ('Shore desk', '[{"key": "mail", "title": "mail", "on": ["alert"], "at_least": 2,
    "kind": "mail", "channel_id": 1, "to": ["a@kittiwake.example"]},
  {"key": "ticket", "title": "ticket", "on": ["alert"], "at_least": 3, "kind": "ticket", "channel_id": 2}, {"key": "note",
    "title": "note", "on": ["recovered"], "kind": "ticket note", "channel_id": 2}]'), ('Empty', '[]');
INSERT INTO deliveries (incident_id, plan, step, event, level, kind, channel_id, recipient, subject, body, state,
    created_at, next_try_at, why) VALUES
  (1, 'Shore desk', 'mail', 'alert', 3, 'mail', 1, 'a@kittiwake.example', 's', 'b', 'sent', '2026-01-05T03:40:00Z',
    '2026-01-05T03:40:00Z', '{}'),
  (1, 'Shore desk', 'ticket', 'alert', 3, 'ticket', 2, 'desk', 's', 'b', 'sent', '2026-01-05T03:40:00Z',
    '2026-01-05T03:40:00Z', '{}'),
  (1, 'Shore desk', 'note', 'comment', 3, 'ticket note', 2, 'desk', 's', 'b', 'waiting', '2026-01-05T03:50:00Z',
    '2026-01-05T03:50:00Z', '{}');
INSERT INTO tickets (incident_id, channel_id, number, url, state, created_at) VALUES (1, 2, 'KL-1041',
    'http://desk.kittiwake.example/1041', 'open', '2026-01-05T03:40:10Z');
INSERT INTO events (incident_id, at, kind, level, text, by, why) VALUES (1, '2026-01-05T03:45:00Z', 'acknowledged', 3,
    'Ines acknowledged', 'Ines', '{}');
INSERT INTO sweeps (name, ranges, port, pace, state) VALUES ('pier', '192.0.2.0/24', 161, 500, 'done');
INSERT INTO sweep_credentials VALUES (1, 1, 0);
