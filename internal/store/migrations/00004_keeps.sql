-- How long single samples of a reading are kept, where it is not the setting for all.

-- +goose Up
CREATE TABLE keeps (
  kit     text NOT NULL,
  reading text NOT NULL,
  days    int  NOT NULL CHECK (days BETWEEN 1 AND 3650),
  PRIMARY KEY (kit, reading)
);

-- +goose Down
DROP TABLE keeps;
