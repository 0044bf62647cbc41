-- The last looks at counters are kept in a file beside the database, since they
-- are kept every few seconds, also while the database is away.

-- +goose Up
DROP TABLE counters;

-- +goose Down
CREATE TABLE counters (
  series_id bigint PRIMARY KEY REFERENCES series ON DELETE CASCADE,
  at        timestamptz NOT NULL,
  count     bigint NOT NULL,
  bits      smallint NOT NULL CHECK (bits IN (32, 64)),
  uptime    bigint,
  index     text NOT NULL DEFAULT '',
  since     bigint
);
