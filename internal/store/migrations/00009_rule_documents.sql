-- Rules are conditions of a kind, stored as documents; rules that a kit
-- brought are known by the kit's key for them, whatever people call them.

-- +goose Up
ALTER TABLE rules ADD COLUMN key text NOT NULL DEFAULT '', ADD COLUMN kind text NOT NULL DEFAULT 'limit', ADD COLUMN condition jsonb;
UPDATE rules SET condition = jsonb_build_object(
  'side', side,
  'for', in_a_row || CASE in_a_row WHEN 1 THEN ' value' ELSE ' values' END,
  'recover_for', recover_in_a_row || CASE recover_in_a_row WHEN 1 THEN ' value' ELSE ' values' END,
  'levels', (SELECT coalesce(jsonb_object_agg(CASE l.key WHEN '1' THEN 'notice' WHEN '2' THEN 'warning' ELSE 'critical' END,
    jsonb_build_object('at', l.value->'raise', 'recover', l.value->'recover')), '{}') FROM jsonb_each(limits) l));
ALTER TABLE rules ALTER COLUMN condition SET NOT NULL, ALTER COLUMN kind DROP DEFAULT,
  DROP COLUMN side, DROP COLUMN in_a_row, DROP COLUMN recover_in_a_row, DROP COLUMN limits;

-- The rules that were shipped so far: first those that still have their name,
-- then those that can be no other.
CREATE TEMPORARY TABLE shipped (kit text, reading text, name text, key text, cause text) ON COMMIT DROP;
INSERT INTO shipped VALUES
  ('reachability', 'loss', 'Does not answer', 'reach', 'reach'),
  ('reachability', 'loss', 'Loses requests', 'loss', 'reach'),
  ('reachability', 'time', 'Answers slowly', 'slow', 'slow'),
  ('host-resources', 'cpu', 'Processor busy', 'cpu', 'cpu'),
  ('host-resources', 'memory', 'Memory nearly used up', 'memory', 'memory'),
  ('host-resources', 'volume_share', 'Volume full', 'volume', 'volume'),
  ('interfaces', 'in_errors', 'Errors on an interface', 'in_errors', 'in_errors');
UPDATE rules r SET key = s.key FROM shipped s WHERE (r.kit, r.reading, r.name) = (s.kit, s.reading, s.name);
DELETE FROM shipped s USING rules r WHERE r.kit = s.kit AND r.key = s.key;
UPDATE rules r SET key = s.key FROM shipped s
  WHERE r.key = '' AND (r.kit, r.reading, r.cause) = (s.kit, s.reading, s.cause)
  AND (SELECT count(*) FROM rules o WHERE o.key = '' AND (o.kit, o.reading, o.cause) = (s.kit, s.reading, s.cause)) = 1
  AND (SELECT count(*) FROM shipped o WHERE (o.kit, o.reading, o.cause) = (s.kit, s.reading, s.cause)) = 1;
DROP TABLE shipped;
CREATE UNIQUE INDEX rules_key ON rules (kit, key) WHERE key <> '';

-- +goose Down
DELETE FROM rules WHERE kind <> 'limit';
ALTER TABLE rules ADD COLUMN side text, ADD COLUMN in_a_row int, ADD COLUMN recover_in_a_row int, ADD COLUMN limits jsonb;
UPDATE rules SET side = condition->>'side',
  in_a_row = CASE WHEN condition->>'for' LIKE '% value%' THEN substring(condition->>'for' FROM '^\d+')::int ELSE 1 END,
  recover_in_a_row = CASE WHEN condition->>'recover_for' LIKE '% value%' THEN substring(condition->>'recover_for' FROM '^\d+')::int
    ELSE 1 END,
  limits = (SELECT coalesce(jsonb_object_agg(CASE l.key WHEN 'notice' THEN '1' WHEN 'warning' THEN '2' ELSE '3' END,
    jsonb_build_object('raise', l.value->'at', 'recover', l.value->'recover')), '{}') FROM jsonb_each(condition->'levels') l);
ALTER TABLE rules ALTER COLUMN side SET NOT NULL, ALTER COLUMN in_a_row SET NOT NULL, ALTER COLUMN recover_in_a_row SET NOT NULL, ALTER
  COLUMN limits SET NOT NULL,
  ADD CHECK (side IN ('above', 'below')), ADD CHECK (in_a_row BETWEEN 1 AND 60), ADD CHECK (recover_in_a_row BETWEEN 1 AND 60);
ALTER TABLE rules DROP COLUMN key, DROP COLUMN kind, DROP COLUMN condition;
