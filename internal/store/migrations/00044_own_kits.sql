-- What people picked at one device to be read there: a kit that nothing else has.
-- +goose Up
CREATE TABLE own_kits (
  device_id bigint PRIMARY KEY REFERENCES all_devices ON DELETE CASCADE,
  picked jsonb NOT NULL,
  version int NOT NULL DEFAULT 1
);

-- +goose Down
DELETE FROM fittings WHERE kit LIKE 'own-%';
DELETE FROM series WHERE kit LIKE 'own-%';
DELETE FROM parts WHERE kit LIKE 'own-%';
DROP TABLE own_kits;
