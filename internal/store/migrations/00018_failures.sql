-- The kind of failure that a source met: what helps follows from it.

-- +goose Up
ALTER TABLE sources ADD COLUMN failure text NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE sources DROP COLUMN failure;
