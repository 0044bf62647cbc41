-- Long lists in the order of the names of devices begin to answer at once.
-- +goose Up
CREATE INDEX devices_by_name ON all_devices (name) WHERE removed_at IS NULL;

-- +goose Down
DROP INDEX devices_by_name;
