-- +goose Up
CREATE TABLE places (
  id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  parent_id  bigint REFERENCES places ON DELETE RESTRICT,
  name       text NOT NULL CHECK (name <> ''),
  kind       text NOT NULL CHECK (kind IN ('organisation', 'site', 'group')),
  gateway_id bigint,
  UNIQUE NULLS NOT DISTINCT (parent_id, name)
);

CREATE TABLE credentials (
  id     bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  name   text NOT NULL UNIQUE CHECK (name <> ''),
  kind   text NOT NULL CHECK (kind IN ('snmp-v2c')),
  sealed bytea NOT NULL
);

CREATE TABLE devices (
  id            bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  place_id      bigint NOT NULL REFERENCES places ON DELETE RESTRICT,
  name          text NOT NULL UNIQUE CHECK (name <> ''),
  address       inet NOT NULL,
  port          int NOT NULL CHECK (port BETWEEN 1 AND 65535),
  kind          text NOT NULL DEFAULT '',
  vendor        text NOT NULL DEFAULT '',
  model         text NOT NULL DEFAULT '',
  description   text NOT NULL DEFAULT '',
  object_id     text NOT NULL DEFAULT '',
  identity      text NOT NULL DEFAULT '',
  credential_id bigint REFERENCES credentials ON DELETE RESTRICT,
  via_id        bigint REFERENCES devices ON DELETE SET NULL,
  paused        boolean NOT NULL DEFAULT false,
  health        text NOT NULL DEFAULT 'unknown',
  health_since  timestamptz NOT NULL DEFAULT now(),
  health_note   text NOT NULL DEFAULT '',
  booted_at     timestamptz,
  created_at    timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX devices_place ON devices (place_id);
ALTER TABLE places ADD FOREIGN KEY (gateway_id) REFERENCES devices ON DELETE SET NULL;

CREATE TABLE device_addresses (
  device_id bigint NOT NULL REFERENCES devices ON DELETE CASCADE,
  address   inet NOT NULL,
  PRIMARY KEY (device_id, address)
);
CREATE INDEX device_addresses_address ON device_addresses (address);

CREATE TABLE fittings (
  id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  device_id  bigint NOT NULL REFERENCES devices ON DELETE CASCADE,
  kit        text NOT NULL,
  parameters jsonb NOT NULL DEFAULT '{}',
  UNIQUE (device_id, kit)
);

CREATE TABLE parts (
  id        bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  device_id bigint NOT NULL REFERENCES devices ON DELETE CASCADE,
  kit       text NOT NULL,
  kind      text NOT NULL,
  key       text NOT NULL,
  index     text NOT NULL,
  name      text NOT NULL,
  note      text NOT NULL DEFAULT '',
  speed     double precision NOT NULL DEFAULT 0,
  gone_at   timestamptz,
  UNIQUE (device_id, kit, kind, key)
);

CREATE TABLE series (
  id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  device_id  bigint NOT NULL REFERENCES devices ON DELETE CASCADE,
  part_id    bigint REFERENCES parts ON DELETE CASCADE,
  kit        text NOT NULL,
  reading    text NOT NULL,
  name       text NOT NULL,
  unit       text NOT NULL,
  every_s    int NOT NULL CHECK (every_s > 0),
  state      text NOT NULL DEFAULT 'waiting' CHECK (state IN ('waiting', 'ok', 'failing')),
  error      text NOT NULL DEFAULT '',
  UNIQUE NULLS NOT DISTINCT (device_id, part_id, kit, reading)
);
CREATE INDEX series_part ON series (part_id);
CREATE INDEX series_reading ON series (kit, reading);

-- One row a value; a partition a day. Deleting a device leaves its samples to
-- the retention of their partition, so there is no foreign key here.
CREATE TABLE samples (
  series_id bigint NOT NULL,
  at        timestamptz NOT NULL,
  value     double precision NOT NULL,
  PRIMARY KEY (series_id, at)
) PARTITION BY RANGE (at);

-- Steps of 15 minutes with the true extremes; a partition a month.
CREATE TABLE steps (
  series_id bigint NOT NULL,
  at        timestamptz NOT NULL,
  count     int NOT NULL,
  min       double precision NOT NULL,
  avg       double precision NOT NULL,
  max       double precision NOT NULL,
  PRIMARY KEY (series_id, at)
) PARTITION BY RANGE (at);

-- The newest value of each series with the one before, for lists.
CREATE TABLE latest (
  series_id    bigint PRIMARY KEY REFERENCES series ON DELETE CASCADE,
  at           timestamptz NOT NULL,
  value        double precision NOT NULL,
  before_at    timestamptz,
  before_value double precision
) WITH (fillfactor = 70);

CREATE TABLE rules (
  id               bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  name             text NOT NULL CHECK (name <> ''),
  kit              text NOT NULL,
  reading          text NOT NULL,
  unit             text NOT NULL,
  side             text NOT NULL CHECK (side IN ('above', 'below')),
  in_a_row         int NOT NULL CHECK (in_a_row BETWEEN 1 AND 60),
  recover_in_a_row int NOT NULL CHECK (recover_in_a_row BETWEEN 1 AND 60),
  limits           jsonb NOT NULL,
  title            text NOT NULL DEFAULT '',
  runbook          text NOT NULL DEFAULT '',
  cause            text NOT NULL,
  enabled          boolean NOT NULL DEFAULT true,
  UNIQUE (kit, reading, name)
);

CREATE TABLE rule_states (
  rule_id   bigint NOT NULL REFERENCES rules ON DELETE CASCADE,
  series_id bigint NOT NULL REFERENCES series ON DELETE CASCADE,
  level     int NOT NULL CHECK (level BETWEEN 0 AND 3),
  held      boolean NOT NULL DEFAULT false,
  since     timestamptz NOT NULL,
  why       jsonb NOT NULL,
  PRIMARY KEY (rule_id, series_id)
);

CREATE TABLE transitions (
  id          bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  device_id   bigint NOT NULL REFERENCES devices ON DELETE CASCADE,
  series_id   bigint REFERENCES series ON DELETE CASCADE,
  rule_id     bigint REFERENCES rules ON DELETE SET NULL,
  from_health text NOT NULL,
  to_health   text NOT NULL,
  at          timestamptz NOT NULL,
  reason      text NOT NULL,
  held        boolean NOT NULL DEFAULT false,
  why         jsonb NOT NULL
);
CREATE INDEX transitions_device ON transitions (device_id, at DESC);
CREATE INDEX transitions_at ON transitions (at DESC);
CREATE INDEX transitions_series ON transitions (series_id, at DESC) WHERE series_id IS NOT NULL;

CREATE TABLE incidents (
  id              bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  device_id       bigint NOT NULL REFERENCES devices ON DELETE CASCADE,
  cause           text NOT NULL,
  title           text NOT NULL,
  level           int NOT NULL CHECK (level BETWEEN 1 AND 3),
  state           text NOT NULL CHECK (state IN ('open', 'acknowledged', 'resolved')),
  opened_at       timestamptz NOT NULL,
  episode_at      timestamptz NOT NULL,
  acknowledged_at timestamptz,
  acknowledged_by text NOT NULL DEFAULT '',
  recovered_at    timestamptz,
  resolved_at     timestamptz,
  resolved_by     text NOT NULL DEFAULT '',
  reopened        int NOT NULL DEFAULT 0,
  why             jsonb NOT NULL
);
-- One open incident for one device and cause.
CREATE UNIQUE INDEX incidents_open ON incidents (device_id, cause) WHERE state <> 'resolved';
CREATE INDEX incidents_device ON incidents (device_id, opened_at DESC);
CREATE INDEX incidents_opened ON incidents (opened_at DESC);

CREATE TABLE alerts (
  id           bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  rule_id      bigint REFERENCES rules ON DELETE SET NULL,
  series_id    bigint NOT NULL REFERENCES series ON DELETE CASCADE,
  device_id    bigint NOT NULL REFERENCES devices ON DELETE CASCADE,
  incident_id  bigint NOT NULL REFERENCES incidents ON DELETE CASCADE,
  level        int NOT NULL CHECK (level BETWEEN 1 AND 3),
  cause        text NOT NULL,
  title        text NOT NULL,
  first_bad_at timestamptz NOT NULL,
  opened_at    timestamptz NOT NULL,
  ended_at     timestamptz,
  value        double precision NOT NULL,
  limit_value  double precision NOT NULL,
  unit         text NOT NULL,
  why          jsonb NOT NULL
);
CREATE UNIQUE INDEX alerts_open ON alerts (rule_id, series_id) WHERE ended_at IS NULL;
CREATE INDEX alerts_incident ON alerts (incident_id);

CREATE TABLE channels (
  id       bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  name     text NOT NULL UNIQUE CHECK (name <> ''),
  kind     text NOT NULL CHECK (kind IN ('mail', 'desk')),
  settings jsonb NOT NULL,
  sealed   bytea
);

CREATE TABLE plans (
  id      bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  name    text NOT NULL UNIQUE CHECK (name <> ''),
  enabled boolean NOT NULL DEFAULT true,
  steps   jsonb NOT NULL
);

-- Deliveries are the outbox: written in the transaction of the change that
-- causes them, claimed by workers with a lease.
CREATE TABLE deliveries (
  id          bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  incident_id bigint NOT NULL REFERENCES incidents ON DELETE CASCADE,
  plan        text NOT NULL,
  step        text NOT NULL,
  event       text NOT NULL,
  level       int NOT NULL,
  kind        text NOT NULL CHECK (kind IN ('mail', 'ticket', 'ticket note')),
  channel_id  bigint REFERENCES channels ON DELETE SET NULL,
  recipient   text NOT NULL,
  subject     text NOT NULL,
  body        text NOT NULL,
  state       text NOT NULL CHECK (state IN ('waiting', 'sent', 'failed')),
  attempts    int NOT NULL DEFAULT 0,
  error       text NOT NULL DEFAULT '',
  outcome     text NOT NULL DEFAULT '',
  created_at  timestamptz NOT NULL,
  next_try_at timestamptz NOT NULL,
  lease_until timestamptz,
  done_at     timestamptz,
  why         jsonb NOT NULL
);
CREATE INDEX deliveries_waiting ON deliveries (next_try_at) WHERE state = 'waiting';
CREATE INDEX deliveries_incident ON deliveries (incident_id);
-- Never two tickets on their way for one incident.
CREATE UNIQUE INDEX deliveries_ticket ON deliveries (incident_id) WHERE kind = 'ticket' AND state <> 'failed';

CREATE TABLE tickets (
  id          bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  incident_id bigint NOT NULL UNIQUE REFERENCES incidents ON DELETE CASCADE,
  channel_id  bigint REFERENCES channels ON DELETE SET NULL,
  number      text NOT NULL,
  url         text NOT NULL,
  state       text NOT NULL,
  created_at  timestamptz NOT NULL
);

CREATE TABLE events (
  id          bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  incident_id bigint NOT NULL REFERENCES incidents ON DELETE CASCADE,
  at          timestamptz NOT NULL,
  kind        text NOT NULL,
  level       int NOT NULL DEFAULT 0,
  text        text NOT NULL,
  detail      text NOT NULL DEFAULT '',
  by          text NOT NULL DEFAULT '',
  alert_id    bigint REFERENCES alerts ON DELETE SET NULL,
  delivery_id bigint REFERENCES deliveries ON DELETE SET NULL,
  why         jsonb NOT NULL
);
CREATE INDEX events_incident ON events (incident_id, at, id);

CREATE TABLE sweeps (
  id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  name       text NOT NULL CHECK (name <> ''),
  ranges     text NOT NULL,
  exclude    text NOT NULL DEFAULT '',
  port       int NOT NULL CHECK (port BETWEEN 1 AND 65535),
  pace       int NOT NULL CHECK (pace > 0),
  state      text NOT NULL,
  total      bigint NOT NULL DEFAULT 0,
  tried      bigint NOT NULL DEFAULT 0,
  found      bigint NOT NULL DEFAULT 0,
  error      text NOT NULL DEFAULT '',
  created_at timestamptz NOT NULL DEFAULT now(),
  started_at timestamptz,
  ended_at   timestamptz
);
CREATE TABLE sweep_credentials (
  sweep_id      bigint NOT NULL REFERENCES sweeps ON DELETE CASCADE,
  credential_id bigint NOT NULL REFERENCES credentials ON DELETE RESTRICT,
  position      int NOT NULL,
  PRIMARY KEY (sweep_id, credential_id)
);

CREATE TABLE finds (
  id            bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  sweep_id      bigint NOT NULL REFERENCES sweeps ON DELETE CASCADE,
  identity      text NOT NULL,
  address       inet NOT NULL,
  others        jsonb NOT NULL DEFAULT '[]',
  name          text NOT NULL,
  vendor        text NOT NULL,
  model         text NOT NULL,
  kind          text NOT NULL,
  description   text NOT NULL,
  object_id     text NOT NULL,
  location      text NOT NULL,
  interfaces    int NOT NULL,
  volumes       int NOT NULL,
  facts         jsonb NOT NULL DEFAULT '[]',
  credential_id bigint REFERENCES credentials ON DELETE SET NULL,
  verdict       text NOT NULL CHECK (verdict IN ('new', 'known', 'adopted', 'ignored')),
  device_id     bigint REFERENCES devices ON DELETE SET NULL,
  found_at      timestamptz NOT NULL,
  UNIQUE (sweep_id, identity)
);

CREATE TABLE users (
  id      bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  name    text NOT NULL UNIQUE CHECK (name <> ''),
  display text NOT NULL,
  level   text NOT NULL CHECK (level IN ('see', 'operate', 'configure', 'administer')),
  hash    text NOT NULL
);

CREATE TABLE tokens (
  id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  name       text NOT NULL UNIQUE CHECK (name <> ''),
  level      text NOT NULL CHECK (level IN ('see', 'operate', 'configure', 'administer')),
  hash       bytea NOT NULL UNIQUE,
  created_at timestamptz NOT NULL DEFAULT now()
);

CREATE TABLE sessions (
  token  text PRIMARY KEY,
  data   bytea NOT NULL,
  expiry timestamptz NOT NULL
);
CREATE INDEX sessions_expiry ON sessions (expiry);

CREATE TABLE settings (
  key   text PRIMARY KEY,
  value text NOT NULL
);

-- +goose Down
DROP TABLE settings, sessions, tokens, users, finds, sweep_credentials, sweeps, events, tickets, deliveries, plans, channels,
  alerts, incidents, transitions, rule_states, rules, latest, steps, samples, series, parts, fittings, device_addresses, devices,
    credentials, places CASCADE;
