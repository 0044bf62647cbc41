-- Kits are kept as versions, each a document that can be exchanged; shipped
-- files are versions, too.

-- +goose Up
CREATE TABLE kit_versions (
  kit        text NOT NULL CHECK (kit <> ''),
  revision   int  NOT NULL CHECK (revision > 0), -- the newest one is in force
  version    int  NOT NULL CHECK (version > 0),  -- as its author counts
  document   text NOT NULL,
  shipped    boolean NOT NULL,
  created_at timestamptz NOT NULL,
  PRIMARY KEY (kit, revision)
);

-- +goose Down
DROP TABLE kit_versions;
