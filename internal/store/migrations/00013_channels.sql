-- Channels of any kind, each secret field sealed by itself; deliveries of any
-- kind. What is only sent when there is a ticket says so itself.

-- +goose Up
ALTER TABLE channels DROP CONSTRAINT channels_kind_check, ADD COLUMN secrets jsonb NOT NULL DEFAULT '{}';
UPDATE channels SET secrets = jsonb_build_object(CASE kind WHEN 'mail' THEN 'password' ELSE 'token' END, replace(encode(sealed,
  'base64'), E'\n', '')) WHERE sealed IS NOT NULL;
ALTER TABLE channels DROP COLUMN sealed;
ALTER TABLE deliveries DROP CONSTRAINT deliveries_kind_check;
UPDATE deliveries SET kind = CASE kind WHEN 'mail' THEN 'message' WHEN 'ticket note' THEN 'note' ELSE kind END;
ALTER TABLE deliveries ADD CONSTRAINT deliveries_kind_check CHECK (kind IN ('message', 'ticket', 'note'));
UPDATE plans SET steps = (SELECT jsonb_agg(CASE step->>'kind' WHEN 'mail' THEN jsonb_set(step, '{kind}', '"message"')
  WHEN 'ticket note' THEN jsonb_set(step, '{kind}', '"note"') ELSE step END ORDER BY n) FROM jsonb_array_elements(steps) WITH
    ORDINALITY AS s(step, n)) WHERE steps <> '[]';

-- +goose Down
UPDATE plans SET steps = (SELECT jsonb_agg(CASE step->>'kind' WHEN 'message' THEN jsonb_set(step, '{kind}', '"mail"')
  WHEN 'note' THEN jsonb_set(step, '{kind}', '"ticket note"') ELSE step END ORDER BY n) FROM jsonb_array_elements(steps) WITH
    ORDINALITY AS s(step, n)) WHERE steps <> '[]';
ALTER TABLE deliveries DROP CONSTRAINT deliveries_kind_check;
UPDATE deliveries SET kind = CASE kind WHEN 'message' THEN 'mail' WHEN 'note' THEN 'ticket note' ELSE kind END;
ALTER TABLE deliveries ADD CONSTRAINT deliveries_kind_check CHECK (kind IN ('mail', 'ticket', 'ticket note'));
DELETE FROM channels WHERE kind NOT IN ('mail', 'desk');
ALTER TABLE channels ADD COLUMN sealed bytea;
UPDATE channels SET sealed = decode(coalesce(secrets->>'password', secrets->>'token'), 'base64') WHERE secrets <> '{}';
ALTER TABLE channels DROP COLUMN secrets, ADD CONSTRAINT channels_kind_check CHECK (kind IN ('mail', 'desk'));
