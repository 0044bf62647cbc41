-- MIB modules that people loaded: as they were published, and what was made of them, so that a
-- start reads none of them again.
-- +goose Up
CREATE TABLE mib_modules (
  name text PRIMARY KEY,
  file text NOT NULL,
  source text NOT NULL,
  made jsonb NOT NULL,
  loaded_at timestamptz NOT NULL
);

-- +goose Down
DROP TABLE mib_modules;
