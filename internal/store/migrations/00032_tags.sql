-- Tags of rules go along to the incidents that they lead to, with those of devices, parts
-- and readings; a plan may be for some of them only.
-- +goose Up
ALTER TABLE rules ADD COLUMN tags jsonb NOT NULL DEFAULT '[]';
ALTER TABLE incidents ADD COLUMN tags jsonb NOT NULL DEFAULT '[]';
CREATE INDEX incidents_tags ON incidents USING gin (tags jsonb_path_ops);
ALTER TABLE plans ADD COLUMN tags jsonb NOT NULL DEFAULT '[]';

-- +goose Down
ALTER TABLE plans DROP COLUMN tags;
ALTER TABLE incidents DROP COLUMN tags;
ALTER TABLE rules DROP COLUMN tags;
