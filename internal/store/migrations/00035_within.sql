-- What belongs to places, and what is not fine, is found without reading the devices
-- themselves.
-- +goose Up
CREATE INDEX devices_within ON all_devices (place_id, id) INCLUDE (kind, health, removed_at);
CREATE INDEX devices_bad ON all_devices (place_id) WHERE removed_at IS NULL AND health <> 'fine';
DROP INDEX devices_place;

-- +goose Down
CREATE INDEX devices_place ON all_devices (place_id);
DROP INDEX devices_bad;
DROP INDEX devices_within;
