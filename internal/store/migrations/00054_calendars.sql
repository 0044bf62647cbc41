-- Hours that people name, to be set where they hold.
-- +goose Up
CREATE TABLE calendars (
  id      bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  name    text NOT NULL CHECK (name <> ''),
  hours   text NOT NULL,
  version int NOT NULL DEFAULT 1
);
CREATE UNIQUE INDEX calendars_name ON calendars (lower(name));

-- +goose Down
UPDATE overrides o SET value = c.hours FROM calendars c WHERE o.key = 'hours' AND o.value = c.name;
DROP TABLE calendars;
