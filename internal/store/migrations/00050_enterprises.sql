-- What the public registry calls the enterprises whose object ids devices show.
-- +goose Up
CREATE TABLE enterprises (
  number bigint PRIMARY KEY,
  name text NOT NULL CHECK (name <> '')
);

-- +goose Down
DROP TABLE enterprises;
