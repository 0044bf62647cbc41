-- What stands next to what was found, at which port, and how that is known.
-- +goose Up
ALTER TABLE finds ADD COLUMN neighbours jsonb NOT NULL DEFAULT '[]';
CREATE INDEX finds_device ON finds (device_id) WHERE device_id IS NOT NULL;

-- +goose Down
DROP INDEX finds_device;
ALTER TABLE finds DROP COLUMN neighbours;
