-- Rules that people make, for all devices or for one, and that they remove: what was raised by
-- one that is removed still names it.
-- +goose Up
ALTER TABLE rules
  ADD COLUMN device_id bigint REFERENCES all_devices ON DELETE CASCADE,
  ADD COLUMN removed_at timestamptz;
ALTER TABLE rules DROP CONSTRAINT rules_kit_reading_name_key;
CREATE UNIQUE INDEX rules_name ON rules (kit, reading, coalesce(device_id, 0), name) WHERE removed_at IS NULL;
CREATE INDEX rules_device ON rules (device_id) WHERE device_id IS NOT NULL;

-- +goose Down
DELETE FROM rules WHERE device_id IS NOT NULL OR removed_at IS NOT NULL;
DROP INDEX rules_device;
DROP INDEX rules_name;
ALTER TABLE rules DROP COLUMN removed_at, DROP COLUMN device_id;
ALTER TABLE rules ADD CONSTRAINT rules_kit_reading_name_key UNIQUE (kit, reading, name);
