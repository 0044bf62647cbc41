-- The uptime of a machine and that of what answers for it are two things. What
-- was known so far was the latter. A device need not have every reading.

-- +goose Up
ALTER TABLE devices ADD COLUMN agent_since timestamptz;
UPDATE devices SET agent_since = booted_at, booted_at = NULL;
ALTER TABLE series DROP CONSTRAINT series_state_check, ADD CONSTRAINT series_state_check CHECK (state IN ('waiting', 'ok', 'failing',
  'absent'));

-- +goose Down
UPDATE series SET state = 'waiting' WHERE state = 'absent';
ALTER TABLE series DROP CONSTRAINT series_state_check, ADD CONSTRAINT series_state_check CHECK (state IN ('waiting', 'ok', 'failing'));
UPDATE devices SET booted_at = agent_since;
ALTER TABLE devices DROP COLUMN agent_since;
