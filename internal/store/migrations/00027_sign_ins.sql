-- Sign-ins are told apart, browsers are trusted or not, and passwords are set by links.

-- +goose Up
CREATE TABLE browsers (
  id      bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  user_id bigint NOT NULL REFERENCES users ON DELETE CASCADE,
  hash    bytea NOT NULL UNIQUE,
  agent   text NOT NULL,
  since   timestamptz NOT NULL,
  used_at timestamptz NOT NULL,
  ends_at timestamptz NOT NULL
);
CREATE INDEX browsers_user ON browsers (user_id);
CREATE INDEX browsers_ends ON browsers (ends_at);

CREATE TABLE sign_ins (
  id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  user_id    bigint NOT NULL REFERENCES users ON DELETE CASCADE,
  browser_id bigint REFERENCES browsers ON DELETE SET NULL,
  agent      text NOT NULL,
  origin     text NOT NULL,
  since      timestamptz NOT NULL,
  used_at    timestamptz NOT NULL,
  ends_at    timestamptz NOT NULL
);
CREATE INDEX sign_ins_user ON sign_ins (user_id);
CREATE INDEX sign_ins_browser ON sign_ins (browser_id) WHERE browser_id IS NOT NULL;
CREATE INDEX sign_ins_ends ON sign_ins (ends_at);

CREATE TABLE links (
  hash    bytea PRIMARY KEY,
  user_id bigint NOT NULL UNIQUE REFERENCES users ON DELETE CASCADE,
  ends_at timestamptz NOT NULL
);

-- Sessions of before do not say in which sign-in they are.
DELETE FROM sessions;

-- +goose Down
DROP TABLE links, sign_ins, browsers;
