-- Credentials are named apart in each place: what one organisation calls its own must not
-- show in what another is told.
-- +goose Up
ALTER TABLE credentials DROP CONSTRAINT credentials_name_key,
  ADD CONSTRAINT credentials_place_name_key UNIQUE NULLS NOT DISTINCT (place_id, name);

-- +goose Down
UPDATE credentials c SET name = left(name, 180) || ' ' || id
  WHERE EXISTS (SELECT FROM credentials o WHERE o.name = c.name AND o.id < c.id);
ALTER TABLE credentials DROP CONSTRAINT credentials_place_name_key, ADD CONSTRAINT credentials_name_key UNIQUE (name);
