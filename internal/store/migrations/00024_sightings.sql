-- What answered a sweep, though not as a device that can be asked.

-- +goose Up
CREATE TABLE sightings (
  sweep_id bigint NOT NULL REFERENCES sweeps ON DELETE CASCADE,
  address  inet NOT NULL,
  said     text NOT NULL CHECK (said <> ''),
  PRIMARY KEY (sweep_id, address)
);

-- +goose Down
DROP TABLE sightings;
