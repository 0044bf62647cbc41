-- Answers to requests that may be sent again: each is worked on once.
-- +goose Up
CREATE TABLE answers (
	actor text NOT NULL,
	key text NOT NULL,
	digest bytea NOT NULL,
	begun_at timestamptz NOT NULL,
	status integer NOT NULL DEFAULT 0,
	headers jsonb NOT NULL DEFAULT '{}',
	body bytea NOT NULL DEFAULT '',
	PRIMARY KEY (actor, key)
);
CREATE INDEX answers_begun ON answers (begun_at);

-- +goose Down
DROP TABLE answers;
