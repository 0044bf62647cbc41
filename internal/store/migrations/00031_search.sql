-- Devices have a friendly name beside the technical one, and all is found by fragments of
-- its names, typing errors forgiven.

-- +goose Up
CREATE EXTENSION IF NOT EXISTS pg_trgm;
ALTER TABLE all_devices ADD COLUMN friendly text NOT NULL DEFAULT '';
CREATE OR REPLACE VIEW devices AS SELECT id, place_id, name, address, kind, vendor, model, description, object_id, identity,
  paused,
  health, health_since, health_note, booted_at, agent_since, created_at, version, behind_id, friendly
  FROM all_devices WHERE removed_at IS NULL;
CREATE INDEX parts_search ON parts USING gin (name gin_trgm_ops, note gin_trgm_ops);
CREATE INDEX incidents_search ON incidents USING gin (title gin_trgm_ops);
CREATE INDEX attributes_search ON attributes USING gin (name gin_trgm_ops, value gin_trgm_ops);

-- +goose Down
DROP INDEX attributes_search, incidents_search, parts_search;
DROP VIEW devices;
CREATE VIEW devices AS SELECT id, place_id, name, address, kind, vendor, model, description, object_id, identity,
  paused,
  health, health_since, health_note, booted_at, agent_since, created_at, version, behind_id
  FROM all_devices WHERE removed_at IS NULL;
ALTER TABLE all_devices DROP COLUMN friendly;
