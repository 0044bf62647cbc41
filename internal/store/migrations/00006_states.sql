-- States and texts: series whose values stand for a while are kept as runs,
-- each with its value, since when and until when; texts are kept once.

-- +goose Up
ALTER TABLE series ADD COLUMN kind text NOT NULL DEFAULT 'number' CHECK (kind IN ('number', 'state', 'text'));

CREATE TABLE runs (series_id bigint NOT NULL, day int NOT NULL, keep int NOT NULL, data bytea NOT NULL) PARTITION BY LIST (keep);
ALTER TABLE runs ALTER COLUMN data SET STORAGE EXTERNAL;

-- The values of a text series are the codes of its words.
CREATE TABLE words (
  series_id bigint NOT NULL REFERENCES series ON DELETE CASCADE,
  code      int    NOT NULL CHECK (code > 0),
  digest    bytea  NOT NULL,
  word      text   NOT NULL,
  PRIMARY KEY (series_id, code),
  UNIQUE (series_id, digest)
);

-- +goose Down
DROP TABLE words, runs;
ALTER TABLE series DROP COLUMN kind;
