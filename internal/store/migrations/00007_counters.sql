-- The last look at each counter, kept from one run of the application to the
-- next, so that the first interval after a restart has its rate.

-- +goose Up
CREATE TABLE counters (
  series_id bigint      PRIMARY KEY REFERENCES series ON DELETE CASCADE,
  at        timestamptz NOT NULL,
  count     bigint      NOT NULL, -- the 64 bits, read with a sign
  bits      smallint    NOT NULL CHECK (bits IN (32, 64)),
  uptime    bigint                -- hundredths of a second; NULL where the device did not tell
);

-- +goose Down
DROP TABLE counters;
