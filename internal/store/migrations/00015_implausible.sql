-- Values that cannot be, kept apart from the samples: one row a series, however
-- often a device says so, with the newest few.

-- +goose Up
CREATE TABLE implausible (
  series_id bigint PRIMARY KEY REFERENCES series ON DELETE CASCADE,
  count     bigint NOT NULL CHECK (count > 0),
  first_at  timestamptz NOT NULL,
  last_at   timestamptz NOT NULL,
  reason    text NOT NULL,
  newest    jsonb NOT NULL -- [{"at": …, "value": …}], at most ten
);

-- +goose Down
DROP TABLE implausible;
