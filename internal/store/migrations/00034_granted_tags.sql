-- A grant may be for what carries a tag only.
-- +goose Up
ALTER TABLE grants ADD COLUMN tag text NOT NULL DEFAULT '';

-- +goose Down
-- Without its tag a grant would be for everything there.
DELETE FROM grants WHERE tag <> '';
ALTER TABLE grants DROP COLUMN tag;
