-- What a device tells of its rows becomes attributes and tags of their parts, beside those that people give.
-- +goose Up
ALTER TABLE parts ADD COLUMN told text NOT NULL DEFAULT '';
ALTER TABLE attributes ADD COLUMN told boolean NOT NULL DEFAULT false;
CREATE INDEX parts_gone ON parts (gone_at) WHERE gone_at IS NOT NULL;

-- +goose Down
DELETE FROM attributes WHERE told;
DROP INDEX parts_gone;
ALTER TABLE attributes DROP COLUMN told;
ALTER TABLE parts DROP COLUMN told;
