-- What the code never does, the database now refuses as well.

-- +goose Up
UPDATE users SET name = lower(name) WHERE name <> lower(name);
ALTER TABLE users ADD CONSTRAINT users_name_is_lower CHECK (name = lower(name));

ALTER TABLE places ADD CONSTRAINT places_not_in_itself CHECK (parent_id IS NULL OR parent_id <> id);
UPDATE places SET gateway_id = NULL WHERE gateway_id NOT IN (SELECT id FROM devices);
ALTER TABLE places ADD CONSTRAINT places_gateway FOREIGN KEY (gateway_id) REFERENCES devices ON DELETE SET NULL;

CREATE DOMAIN health AS text CHECK (VALUE IN ('fine', 'notice', 'warning', 'critical', 'unreachable', 'unknown', 'paused', 'maintenance'));
ALTER TABLE devices ALTER COLUMN health DROP DEFAULT;
ALTER TABLE devices ALTER COLUMN health TYPE health;
ALTER TABLE devices ALTER COLUMN health SET DEFAULT 'unknown';
ALTER TABLE transitions ALTER COLUMN from_health TYPE health, ALTER COLUMN to_health TYPE health;

-- +goose Down
ALTER TABLE transitions ALTER COLUMN from_health TYPE text, ALTER COLUMN to_health TYPE text;
ALTER TABLE devices ALTER COLUMN health TYPE text;
DROP DOMAIN health;
ALTER TABLE places DROP CONSTRAINT places_gateway, DROP CONSTRAINT places_not_in_itself;
ALTER TABLE users DROP CONSTRAINT users_name_is_lower;
