-- Why the addresses of a find are one device, or are told apart.
-- +goose Up
ALTER TABLE finds ADD COLUMN why jsonb NOT NULL DEFAULT '{}';

-- +goose Down
ALTER TABLE finds DROP COLUMN why;
