-- Since when each secret is the one that it is; not known of those that are older than this.
-- +goose Up
ALTER TABLE channels ADD COLUMN sealed_at timestamptz;
ALTER TABLE credentials ADD COLUMN sealed_at timestamptz;

-- +goose Down
ALTER TABLE channels DROP COLUMN sealed_at;
ALTER TABLE credentials DROP COLUMN sealed_at;
