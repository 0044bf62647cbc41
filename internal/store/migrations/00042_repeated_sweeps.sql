-- A sweep can begin again by itself, so long after it began last.
-- +goose Up
ALTER TABLE sweeps ADD COLUMN every_seconds bigint NOT NULL DEFAULT 0 CHECK (every_seconds >= 0);

-- +goose Down
ALTER TABLE sweeps DROP COLUMN every_seconds;
