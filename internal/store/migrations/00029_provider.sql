-- A provider that says who people are (OpenID Connect), and whom it knows as whom.

-- +goose Up
CREATE TABLE providers (
  id           smallint PRIMARY KEY DEFAULT 1 CHECK (id = 1),
  title        text NOT NULL,
  issuer       text NOT NULL,
  client_id    text NOT NULL,
  sealed       bytea,
  groups_claim text NOT NULL,
  groups       jsonb NOT NULL DEFAULT '{}',
  enabled      boolean NOT NULL DEFAULT false,
  version      int NOT NULL DEFAULT 1
);
CREATE TABLE identities (
  issuer  text NOT NULL,
  subject text NOT NULL,
  user_id bigint NOT NULL REFERENCES users ON DELETE CASCADE,
  PRIMARY KEY (issuer, subject)
);
CREATE INDEX identities_user ON identities (user_id);

-- +goose Down
DROP TABLE identities, providers;
