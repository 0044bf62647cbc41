-- How asking goes, for each thing that a device is asked: a source that fails
-- must not be silent.

-- +goose Up
CREATE TABLE sources (
  device_id bigint NOT NULL REFERENCES devices ON DELETE CASCADE,
  kit       text NOT NULL,
  source    text NOT NULL,
  state     text NOT NULL CHECK (state IN ('ok', 'failing', 'absent')),
  error     text NOT NULL DEFAULT '',
  faulty    boolean NOT NULL DEFAULT false, -- it has failed often enough to count for the device's health
  since     timestamptz NOT NULL,
  PRIMARY KEY (device_id, kit, source)
);

-- +goose Down
DROP TABLE sources;
