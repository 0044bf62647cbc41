-- How a device is talked to, by each way to collect; credentials of any kind,
-- each secret field sealed by itself.

-- +goose Up
ALTER TABLE credentials DROP CONSTRAINT credentials_kind_check,
  ADD COLUMN settings jsonb NOT NULL DEFAULT '{}', ADD COLUMN secrets jsonb NOT NULL DEFAULT '{}';
UPDATE credentials SET secrets = jsonb_build_object('community', replace(encode(sealed, 'base64'), E'\n', ''));
ALTER TABLE credentials DROP COLUMN sealed;

CREATE TABLE endpoints (
  id            bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  device_id     bigint NOT NULL REFERENCES devices ON DELETE CASCADE,
  way           text NOT NULL CHECK (way <> ''),
  address       inet, -- NULL for the device's own
  credential_id bigint REFERENCES credentials ON DELETE RESTRICT,
  settings      jsonb NOT NULL DEFAULT '{}',
  UNIQUE (device_id, way)
);
INSERT INTO endpoints (device_id, way, credential_id, settings) SELECT id, 'snmp', credential_id, jsonb_build_object('port',
  port::text) FROM devices;
INSERT INTO endpoints (device_id, way, settings) SELECT d.id, 'tcp', jsonb_build_object('port', d.port::text) FROM devices d
  WHERE EXISTS (SELECT FROM fittings f WHERE f.device_id = d.id AND f.parameters->>'method' = 'tcp');
ALTER TABLE devices DROP COLUMN port, DROP COLUMN credential_id;

-- What a find has inside, by purpose, and how it was found.
ALTER TABLE finds ADD COLUMN parts jsonb NOT NULL DEFAULT '{}', ADD COLUMN way text NOT NULL DEFAULT 'snmp';
UPDATE finds SET parts = jsonb_strip_nulls(jsonb_build_object('interface', nullif(interfaces, 0), 'volume', nullif(volumes, 0)));
ALTER TABLE finds ALTER COLUMN way DROP DEFAULT, DROP COLUMN interfaces, DROP COLUMN volumes;

-- +goose Down
ALTER TABLE finds ADD COLUMN interfaces int NOT NULL DEFAULT 0, ADD COLUMN volumes int NOT NULL DEFAULT 0;
UPDATE finds SET interfaces = coalesce((parts->>'interface')::int, 0), volumes = coalesce((parts->>'volume')::int, 0);
ALTER TABLE finds ALTER COLUMN interfaces DROP DEFAULT, ALTER COLUMN volumes DROP DEFAULT, DROP COLUMN parts, DROP COLUMN way;
ALTER TABLE devices ADD COLUMN port int, ADD COLUMN credential_id bigint REFERENCES credentials ON DELETE RESTRICT;
UPDATE devices d SET credential_id = e.credential_id, port = (e.settings->>'port')::int FROM endpoints e WHERE e.device_id = d.id AND
  e.way = 'snmp';
UPDATE devices SET port = 161 WHERE port IS NULL;
ALTER TABLE devices ALTER COLUMN port SET NOT NULL, ADD CHECK (port BETWEEN 1 AND 65535);
DROP TABLE endpoints;
DELETE FROM sweep_credentials WHERE credential_id IN (SELECT id FROM credentials WHERE kind <> 'snmp-v2c');
DELETE FROM credentials WHERE kind <> 'snmp-v2c';
ALTER TABLE credentials ADD COLUMN sealed bytea;
UPDATE credentials SET sealed = decode(secrets->>'community', 'base64');
ALTER TABLE credentials ALTER COLUMN sealed SET NOT NULL, DROP COLUMN secrets, DROP COLUMN settings, ADD CONSTRAINT
  credentials_kind_check CHECK (kind IN ('snmp-v2c'));
