-- Settings of single parts: whether they are collected.
-- +goose Up
ALTER TABLE overrides
  ADD COLUMN part_id bigint REFERENCES parts ON DELETE CASCADE,
  DROP CONSTRAINT overrides_check,
  DROP CONSTRAINT overrides_place_id_device_id_key_key,
  ADD CONSTRAINT overrides_check CHECK (num_nonnulls(place_id, device_id, part_id) = 1),
  ADD CONSTRAINT overrides_key UNIQUE NULLS NOT DISTINCT (place_id, device_id, part_id, key);
CREATE INDEX overrides_part ON overrides (part_id) WHERE part_id IS NOT NULL;

-- +goose Down
DELETE FROM overrides WHERE part_id IS NOT NULL;
ALTER TABLE overrides
  DROP CONSTRAINT overrides_key,
  DROP CONSTRAINT overrides_check,
  DROP COLUMN part_id,
  ADD CONSTRAINT overrides_check CHECK (num_nonnulls(place_id, device_id) = 1),
  ADD CONSTRAINT overrides_place_id_device_id_key_key UNIQUE NULLS NOT DISTINCT (place_id, device_id, key);
