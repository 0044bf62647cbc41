-- What a sweep looks for where no credential is answered.
-- +goose Up
ALTER TABLE sweeps ADD COLUMN ports text NOT NULL DEFAULT '', ADD COLUMN echo boolean NOT NULL DEFAULT false;

-- +goose Down
ALTER TABLE sweeps DROP COLUMN ports, DROP COLUMN echo;
