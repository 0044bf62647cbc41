-- People are in teams, teams have levels on parts of the tree; tokens have an owner,
-- a scope and an end. Every change is noted, and what is noted cannot be changed.

-- +goose Up
ALTER TABLE users DROP CONSTRAINT users_name_key,
  ADD COLUMN place_id bigint REFERENCES places ON DELETE SET NULL,
  ADD COLUMN locked boolean NOT NULL DEFAULT false,
  ADD COLUMN removed_at timestamptz,
  ADD COLUMN created_at timestamptz NOT NULL DEFAULT now(),
  ADD COLUMN seen_at timestamptz,
  ADD COLUMN version int NOT NULL DEFAULT 1;
CREATE UNIQUE INDEX users_name ON users (name) WHERE removed_at IS NULL;

CREATE TABLE teams (
  id       bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  name     text NOT NULL CHECK (name <> ''),
  place_id bigint REFERENCES places ON DELETE RESTRICT,
  version  int NOT NULL DEFAULT 1,
  UNIQUE NULLS NOT DISTINCT (place_id, name)
);
CREATE TABLE team_members (
  team_id bigint NOT NULL REFERENCES teams ON DELETE CASCADE,
  user_id bigint NOT NULL REFERENCES users ON DELETE CASCADE,
  PRIMARY KEY (team_id, user_id)
);
CREATE INDEX team_members_user ON team_members (user_id);
CREATE TABLE grants (
  id       bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  team_id  bigint NOT NULL REFERENCES teams ON DELETE CASCADE,
  place_id bigint REFERENCES places ON DELETE RESTRICT,
  level    text NOT NULL CHECK (level IN ('see', 'operate', 'configure', 'administer')),
  areas    jsonb NOT NULL DEFAULT '[]'
);
CREATE INDEX grants_team ON grants (team_id);

-- Whoever had a level had it everywhere.
INSERT INTO teams (name) SELECT DISTINCT CASE level WHEN 'see' THEN 'Onlookers' WHEN 'operate' THEN 'Operators'
  WHEN 'configure' THEN 'Engineers' ELSE 'Administrators' END FROM users;
INSERT INTO grants (team_id, level) SELECT id, CASE name WHEN 'Onlookers' THEN 'see' WHEN 'Operators' THEN 'operate'
  WHEN 'Engineers' THEN 'configure' ELSE 'administer' END FROM teams;
INSERT INTO team_members SELECT g.team_id, u.id FROM users u JOIN grants g ON g.level = u.level;
ALTER TABLE users DROP COLUMN level;

ALTER TABLE tokens
  ADD COLUMN owner_id bigint REFERENCES users ON DELETE CASCADE,
  ADD COLUMN place_id bigint REFERENCES places ON DELETE CASCADE,
  ADD COLUMN areas jsonb NOT NULL DEFAULT '[]',
  ADD COLUMN ends_at timestamptz,
  ADD COLUMN used_at timestamptz;

-- What is found and what it is asked with belongs to a part of the tree.
ALTER TABLE sweeps ADD COLUMN place_id bigint REFERENCES places ON DELETE RESTRICT;
ALTER TABLE credentials ADD COLUMN place_id bigint REFERENCES places ON DELETE RESTRICT;

-- What people edit has a version, so that two who edit one thing notice.
ALTER TABLE places ADD COLUMN version int NOT NULL DEFAULT 1;
ALTER TABLE rules ADD COLUMN version int NOT NULL DEFAULT 1;
ALTER TABLE plans ADD COLUMN version int NOT NULL DEFAULT 1;
ALTER TABLE channels ADD COLUMN version int NOT NULL DEFAULT 1;
ALTER TABLE credentials ADD COLUMN version int NOT NULL DEFAULT 1;
ALTER TABLE all_devices ADD COLUMN version int NOT NULL DEFAULT 1,
  ADD COLUMN behind_id bigint REFERENCES all_devices ON DELETE SET NULL;
CREATE INDEX devices_behind ON all_devices (behind_id) WHERE behind_id IS NOT NULL;
ALTER TABLE transitions ADD COLUMN behind_id bigint REFERENCES all_devices ON DELETE SET NULL;
CREATE INDEX transitions_behind ON transitions (behind_id) WHERE behind_id IS NOT NULL;
CREATE OR REPLACE VIEW devices AS SELECT id, place_id, name, address, kind, vendor, model, description, object_id, identity, paused,
  health, health_since,
  health_note, booted_at, agent_since, created_at, version, behind_id FROM all_devices WHERE removed_at IS NULL;

-- Names are unique within an organisation: the place at the top.
-- +goose StatementBegin
CREATE FUNCTION organisation_of(place bigint) RETURNS bigint LANGUAGE sql STABLE AS $$
  WITH RECURSIVE up AS (
    SELECT id, parent_id, 1 AS hops FROM places WHERE id = place
    UNION ALL SELECT p.id, p.parent_id, up.hops + 1 FROM places p JOIN up ON p.id = up.parent_id WHERE up.hops < 1000)
  SELECT id FROM up WHERE parent_id IS NULL
$$;
CREATE FUNCTION device_organisation() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  NEW.organisation_id := organisation_of(NEW.place_id);
  RETURN NEW;
END $$;
CREATE FUNCTION place_organisation() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  UPDATE all_devices SET organisation_id = organisation_of(place_id) WHERE organisation_id IS DISTINCT FROM organisation_of(place_id);
  RETURN NULL;
END $$;
-- +goose StatementEnd
ALTER TABLE all_devices ADD COLUMN organisation_id bigint;
UPDATE all_devices SET organisation_id = organisation_of(place_id);
DROP INDEX devices_name;
CREATE UNIQUE INDEX devices_name ON all_devices (organisation_id, name) WHERE removed_at IS NULL;
CREATE TRIGGER device_organisation BEFORE INSERT OR UPDATE OF place_id ON all_devices FOR EACH ROW EXECUTE FUNCTION device_organisation();
CREATE TRIGGER place_organisation AFTER UPDATE OF parent_id ON places FOR EACH STATEMENT EXECUTE FUNCTION place_organisation();

CREATE TABLE audit (
  id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  at         timestamptz NOT NULL DEFAULT now(),
  actor_kind text NOT NULL,
  actor_id   bigint NOT NULL,
  actor      text NOT NULL,
  origin     text NOT NULL,
  act        text NOT NULL CHECK (act <> ''),
  refused    boolean NOT NULL DEFAULT false,
  kind       text NOT NULL,
  thing_id   bigint NOT NULL,
  thing      text NOT NULL,
  place_id   bigint,
  before     jsonb,
  after      jsonb,
  reason     text NOT NULL
);
CREATE INDEX audit_at ON audit (at DESC, id DESC);
CREATE INDEX audit_thing ON audit (kind, thing_id, id DESC);
CREATE INDEX audit_actor ON audit (actor_kind, actor_id, id DESC);
CREATE INDEX audit_act ON audit (act);

-- Nothing changes what is noted; it goes when the time is over for which it is kept.
-- +goose StatementBegin
CREATE FUNCTION audit_stays() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE days int := coalesce((SELECT value::int FROM settings WHERE key = 'audit.days'), 400);
BEGIN
  IF TG_OP = 'DELETE' AND OLD.at < now() - make_interval(days => greatest(days, 30)) THEN
    RETURN OLD;
  END IF;
  RAISE EXCEPTION 'what is noted is not changed';
END $$;
-- +goose StatementEnd
CREATE TRIGGER audit_stays BEFORE UPDATE OR DELETE ON audit FOR EACH ROW EXECUTE FUNCTION audit_stays();
CREATE TRIGGER audit_stays_whole BEFORE TRUNCATE ON audit FOR EACH STATEMENT EXECUTE FUNCTION audit_stays();

-- +goose Down
DROP TRIGGER place_organisation ON places;
DROP TRIGGER device_organisation ON all_devices;
DROP FUNCTION place_organisation, device_organisation, organisation_of;
UPDATE all_devices d SET name = d.name || ' ' || d.id WHERE removed_at IS NULL
  AND EXISTS (SELECT FROM all_devices o WHERE o.name = d.name AND o.id < d.id AND o.removed_at IS NULL);
ALTER TABLE all_devices DROP COLUMN organisation_id;
CREATE UNIQUE INDEX devices_name ON all_devices (name) WHERE removed_at IS NULL;
DROP TABLE audit;
DROP FUNCTION audit_stays;
DROP VIEW devices;
ALTER TABLE all_devices DROP COLUMN version, DROP COLUMN behind_id;
ALTER TABLE transitions DROP COLUMN behind_id;
CREATE VIEW devices AS SELECT id, place_id, name, address, kind, vendor, model, description, object_id, identity, paused, health,
  health_since,
  health_note, booted_at, agent_since, created_at FROM all_devices WHERE removed_at IS NULL;
DELETE FROM sweeps WHERE place_id IS NOT NULL;
ALTER TABLE sweeps DROP COLUMN place_id;
ALTER TABLE credentials DROP COLUMN version, DROP COLUMN place_id;
ALTER TABLE channels DROP COLUMN version;
ALTER TABLE plans DROP COLUMN version;
ALTER TABLE rules DROP COLUMN version;
ALTER TABLE places DROP COLUMN version;
DELETE FROM tokens WHERE place_id IS NOT NULL OR areas <> '[]' OR ends_at < now();
ALTER TABLE tokens DROP COLUMN owner_id, DROP COLUMN place_id, DROP COLUMN areas, DROP COLUMN ends_at, DROP COLUMN used_at;
-- Of what somebody may do everywhere the highest remains; who may do less may do nothing.
DELETE FROM users WHERE removed_at IS NOT NULL;
ALTER TABLE users ADD COLUMN level text;
UPDATE users u SET level = (SELECT g.level FROM grants g JOIN team_members m ON m.team_id = g.team_id
  WHERE m.user_id = u.id AND g.place_id IS NULL AND g.areas = '[]' ORDER BY array_position(ARRAY['administer', 'configure', 'operate',
    'see'], g.level) LIMIT 1);
DELETE FROM users WHERE level IS NULL OR locked;
DROP INDEX users_name;
ALTER TABLE users ALTER COLUMN level SET NOT NULL, ADD CONSTRAINT users_level_check CHECK (level IN ('see', 'operate', 'configure',
  'administer')),
  ADD CONSTRAINT users_name_key UNIQUE (name), DROP COLUMN place_id, DROP COLUMN locked, DROP COLUMN removed_at, DROP COLUMN created_at,
  DROP COLUMN seen_at, DROP COLUMN version;
DROP TABLE grants, team_members, teams;
