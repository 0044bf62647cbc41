-- What is set at places and devices, and holds for all below. A value that
-- names a device goes with it.

-- +goose Up
CREATE TABLE overrides (
  place_id  bigint REFERENCES places ON DELETE CASCADE,
  device_id bigint REFERENCES devices ON DELETE CASCADE,
  key       text NOT NULL CHECK (key <> ''),
  value     text NOT NULL,
  refers_to bigint REFERENCES devices ON DELETE CASCADE,
  CHECK ((place_id IS NULL) <> (device_id IS NULL)),
  UNIQUE NULLS NOT DISTINCT (place_id, device_id, key)
);
CREATE INDEX overrides_refers_to ON overrides (refers_to);
INSERT INTO overrides (place_id, key, value, refers_to) SELECT id, 'gateway', gateway_id, gateway_id FROM places WHERE gateway_id IS
  NOT NULL;
INSERT INTO overrides (device_id, key, value, refers_to) SELECT id, 'gateway', via_id, via_id FROM devices WHERE via_id IS NOT NULL;
ALTER TABLE places DROP COLUMN gateway_id;
ALTER TABLE devices DROP COLUMN via_id;

-- +goose Down
ALTER TABLE places ADD COLUMN gateway_id bigint, ADD CONSTRAINT places_gateway FOREIGN KEY (gateway_id) REFERENCES devices ON DELETE
  SET NULL;
ALTER TABLE devices ADD COLUMN via_id bigint REFERENCES devices ON DELETE SET NULL;
UPDATE places p SET gateway_id = o.refers_to FROM overrides o WHERE o.place_id = p.id AND o.key = 'gateway';
UPDATE devices d SET via_id = o.refers_to FROM overrides o WHERE o.device_id = d.id AND o.key = 'gateway';
DROP TABLE overrides;
