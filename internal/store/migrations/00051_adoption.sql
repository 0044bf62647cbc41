-- What of its finds a sweep adopts without asking, and where.
-- +goose Up
CREATE TABLE adoption_rules (
  sweep_id bigint PRIMARY KEY REFERENCES sweeps ON DELETE CASCADE,
  rules jsonb NOT NULL
);

-- +goose Down
DROP TABLE adoption_rules;
