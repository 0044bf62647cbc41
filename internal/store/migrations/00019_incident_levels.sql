-- The level of an incident follows its alerts, up and down; the worst of the
-- episode is kept beside it, and when it last fell: who heard before that is
-- told again when it rises.

-- +goose Up
ALTER TABLE incidents ADD COLUMN worst smallint NOT NULL DEFAULT 0,
	ADD COLUMN fell_at timestamptz,
	ADD COLUMN fell_to smallint NOT NULL DEFAULT 0;
UPDATE incidents SET worst = level;

-- +goose Down
UPDATE incidents SET level = worst;
ALTER TABLE incidents DROP COLUMN worst, DROP COLUMN fell_at, DROP COLUMN fell_to;
