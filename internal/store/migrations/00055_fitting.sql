-- What is known of devices beside what people set, rules that fit kits by it, and who or what fitted each.
-- +goose Up
CREATE TABLE device_facts (
  device_id bigint PRIMARY KEY REFERENCES all_devices ON DELETE CASCADE,
  facts     jsonb NOT NULL DEFAULT '[]',
  learnt_at timestamptz NOT NULL
);
INSERT INTO device_facts (device_id, facts, learnt_at)
  SELECT DISTINCT ON (device_id) device_id, facts::jsonb, found_at FROM finds
  WHERE device_id IS NOT NULL ORDER BY device_id, found_at DESC;

CREATE TABLE fitting_rules (
  id        bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  rank      int NOT NULL,
  name      text NOT NULL CHECK (name <> ''),
  "when"    text NOT NULL,
  fits      jsonb NOT NULL DEFAULT '[]',
  keeps_off jsonb NOT NULL DEFAULT '[]',
  off       boolean NOT NULL DEFAULT false,
  version   int NOT NULL DEFAULT 1
);
CREATE UNIQUE INDEX fitting_rules_name ON fitting_rules (lower(name));

ALTER TABLE fittings
  ADD COLUMN presets jsonb NOT NULL DEFAULT '{}',
  ADD COLUMN fitted_by text NOT NULL DEFAULT 'hand' CHECK (fitted_by IN ('hand', 'rule', 'kit')),
  ADD COLUMN who text NOT NULL DEFAULT '',
  ADD COLUMN since timestamptz,
  ADD COLUMN rule_id bigint REFERENCES fitting_rules ON DELETE SET NULL,
  ADD COLUMN inside text NOT NULL DEFAULT '',
  ADD COLUMN off boolean NOT NULL DEFAULT false;
CREATE INDEX fittings_kit ON fittings (kit, device_id);
CREATE INDEX fittings_rule ON fittings (rule_id) WHERE rule_id IS NOT NULL;
ALTER TABLE series
  DROP CONSTRAINT series_state_check,
  ADD CONSTRAINT series_state_check CHECK (state IN ('waiting', 'ok', 'failing', 'absent', 'off'));

-- +goose Down
UPDATE series SET state = 'waiting', error = '' WHERE state = 'off';
ALTER TABLE series
  DROP CONSTRAINT series_state_check,
  ADD CONSTRAINT series_state_check CHECK (state IN ('waiting', 'ok', 'failing', 'absent'));
DELETE FROM fittings WHERE off;
DROP INDEX fittings_rule;
DROP INDEX fittings_kit;
ALTER TABLE fittings
  DROP COLUMN presets, DROP COLUMN fitted_by, DROP COLUMN who, DROP COLUMN since, DROP COLUMN rule_id, DROP COLUMN inside, DROP COLUMN off;
DROP TABLE fitting_rules;
DROP TABLE device_facts;
