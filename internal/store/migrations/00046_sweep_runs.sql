-- What each run of a sweep came to, and what it saw, to compare the next one with.
-- +goose Up
CREATE TABLE sweep_runs (
  id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  sweep_id bigint NOT NULL REFERENCES sweeps ON DELETE CASCADE,
  started_at timestamptz NOT NULL,
  ended_at timestamptz NOT NULL,
  state text NOT NULL,
  tried bigint NOT NULL,
  found bigint NOT NULL,
  changes jsonb NOT NULL DEFAULT '[]',
  seen jsonb
);
CREATE INDEX sweep_runs_sweep ON sweep_runs (sweep_id, id);

-- +goose Down
DROP TABLE sweep_runs;
