-- A device that is no longer watched keeps its history until it is told otherwise.
-- All that asks for devices sees those that are watched: a view in the place of
-- the table.

-- +goose Up
ALTER TABLE devices ADD COLUMN removed_at timestamptz;
ALTER TABLE devices RENAME TO all_devices;
ALTER TABLE all_devices DROP CONSTRAINT devices_name_key;
CREATE UNIQUE INDEX devices_name ON all_devices (name) WHERE removed_at IS NULL;
CREATE VIEW devices AS SELECT id, place_id, name, address, kind, vendor, model, description, object_id, identity, paused, health,
  health_since, health_note,
  booted_at, agent_since, created_at FROM all_devices WHERE removed_at IS NULL;

-- +goose Down
DELETE FROM all_devices WHERE removed_at IS NOT NULL;
DROP VIEW devices;
DROP INDEX devices_name;
ALTER TABLE all_devices RENAME TO devices;
ALTER TABLE devices DROP COLUMN removed_at, ADD CONSTRAINT devices_name_key UNIQUE (name);
