-- Changes that are made together, kits that are taken back, and what kits said of their rules.
-- +goose Up
CREATE TABLE change_sets (
  id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  name text NOT NULL,
  reason text NOT NULL,
  state text NOT NULL,
  author_kind text NOT NULL,
  author_id bigint NOT NULL,
  author text NOT NULL,
  edits jsonb NOT NULL,
  effect jsonb,
  rolls_back bigint REFERENCES change_sets,
  created_at timestamptz NOT NULL,
  applied_at timestamptz,
  applied_by text NOT NULL DEFAULT '',
  version int NOT NULL
);
CREATE INDEX change_sets_draft ON change_sets (author_kind, author_id) WHERE state = 'draft';
CREATE INDEX change_sets_back ON change_sets (rolls_back) WHERE rolls_back IS NOT NULL;
ALTER TABLE audit ADD COLUMN change_set_id bigint;
CREATE INDEX audit_change_set ON audit (change_set_id) WHERE change_set_id IS NOT NULL;
ALTER TABLE kit_versions
  ADD COLUMN author text NOT NULL DEFAULT '',
  ADD COLUMN reason text NOT NULL DEFAULT '',
  ADD COLUMN withdrawn boolean NOT NULL DEFAULT false;
ALTER TABLE rules ADD COLUMN brought jsonb;

-- +goose Down
ALTER TABLE rules DROP COLUMN brought;
DELETE FROM kit_versions WHERE withdrawn;
ALTER TABLE kit_versions
  DROP COLUMN author,
  DROP COLUMN reason,
  DROP COLUMN withdrawn;
ALTER TABLE audit DROP COLUMN change_set_id;
DROP TABLE change_sets;
