-- A second factor at the sign-in: codes of the time (RFC 6238) and passkeys (WebAuthn).

-- +goose Up
CREATE TABLE code_factors (
  user_id bigint PRIMARY KEY REFERENCES users ON DELETE CASCADE,
  sealed  bytea NOT NULL,
  since   timestamptz,
  step    bigint NOT NULL DEFAULT 0
);
CREATE TABLE recovery_codes (
  user_id bigint NOT NULL REFERENCES users ON DELETE CASCADE,
  hash    bytea NOT NULL,
  PRIMARY KEY (user_id, hash)
);
CREATE TABLE passkeys (
  id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  user_id    bigint NOT NULL REFERENCES users ON DELETE CASCADE,
  name       text NOT NULL,
  key_id     bytea NOT NULL UNIQUE,
  credential jsonb NOT NULL,
  since      timestamptz NOT NULL,
  used_at    timestamptz
);
CREATE INDEX passkeys_user ON passkeys (user_id);

-- +goose Down
DROP TABLE passkeys, recovery_codes, code_factors;
