-- Attributes and tags of places, devices and parts.

-- +goose Up
CREATE TABLE attributes (
  place_id  bigint REFERENCES places ON DELETE CASCADE,
  device_id bigint REFERENCES all_devices ON DELETE CASCADE,
  part_id   bigint REFERENCES parts ON DELETE CASCADE,
  name      text NOT NULL CHECK (name <> ''),
  value     text NOT NULL,
  tag       boolean NOT NULL,
  CHECK (num_nonnulls(place_id, device_id, part_id) = 1),
  CHECK (NOT tag OR value = ''),
  UNIQUE NULLS NOT DISTINCT (place_id, device_id, part_id, tag, name)
);
CREATE INDEX attributes_device ON attributes (device_id) WHERE device_id IS NOT NULL;
CREATE INDEX attributes_part ON attributes (part_id) WHERE part_id IS NOT NULL;
CREATE INDEX attributes_name ON attributes (name, value);

-- +goose Down
DROP TABLE attributes;
