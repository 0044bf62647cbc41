-- The sample store: docs/sample-store.md. The tables of the first slice are
-- taken over and dropped when the application starts.

-- +goose Up
-- +goose StatementBegin
DO $$
BEGIN
  FOR i IN 0..7 LOOP
    EXECUTE format('CREATE TABLE journal_%s (seq bigint PRIMARY KEY, data bytea NOT NULL)', i);
    EXECUTE format('ALTER TABLE journal_%s ALTER COLUMN data SET STORAGE EXTERNAL', i);
  END LOOP;
END $$;
-- +goose StatementEnd

-- Up to which block of the journal the points of a shard are in chunks, and
-- its newest points.
CREATE TABLE sealed (shard int PRIMARY KEY, seq bigint NOT NULL, heads bytea NOT NULL);
ALTER TABLE sealed ALTER COLUMN heads SET STORAGE EXTERNAL;

-- Days are counted from 1970-01-01 UTC.
CREATE TABLE chunks (series_id bigint NOT NULL, day int NOT NULL, seq bigint NOT NULL, data bytea NOT NULL) PARTITION BY LIST (day);
CREATE INDEX chunks_series ON chunks (series_id);
CREATE TABLE days (series_id bigint NOT NULL, day int NOT NULL, seq bigint NOT NULL, data bytea NOT NULL, PRIMARY KEY (series_id, day))
  PARTITION BY RANGE (day);
CREATE TABLE rollup_5m (series_id bigint NOT NULL, day int NOT NULL, data bytea NOT NULL, PRIMARY KEY (series_id, day)) PARTITION BY
  RANGE (day);
CREATE TABLE rollup_1h (series_id bigint NOT NULL, day int NOT NULL, data bytea NOT NULL, PRIMARY KEY (series_id, day)) PARTITION BY
  RANGE (day);
CREATE TABLE rollup_1d (series_id bigint NOT NULL, day int NOT NULL, data bytea NOT NULL, PRIMARY KEY (series_id, day)) PARTITION BY
  RANGE (day);
ALTER TABLE chunks ALTER COLUMN data SET STORAGE EXTERNAL;
ALTER TABLE days ALTER COLUMN data SET STORAGE EXTERNAL;
ALTER TABLE rollup_5m ALTER COLUMN data SET STORAGE EXTERNAL;
ALTER TABLE rollup_1h ALTER COLUMN data SET STORAGE EXTERNAL;
ALTER TABLE rollup_1d ALTER COLUMN data SET STORAGE EXTERNAL;

-- +goose Down
DROP TABLE rollup_1d, rollup_1h, rollup_5m, days, chunks, sealed, journal_0, journal_1, journal_2, journal_3, journal_4, journal_5,
  journal_6, journal_7 CASCADE;
