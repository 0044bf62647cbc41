-- Rows at rest are parted by how long they are kept (their keep class: a
-- number of days, or 0 and less for a setting), and then by time: whatever is
-- dropped goes as a whole table. Each rollup may have a time of its own for
-- each reading.

-- +goose Up
CREATE TABLE new_days (series_id bigint NOT NULL, day int NOT NULL, keep int NOT NULL, seq bigint NOT NULL, data bytea NOT NULL)
  PARTITION BY LIST (keep);
CREATE TABLE new_rollup_5m (series_id bigint NOT NULL, day int NOT NULL, keep int NOT NULL, data bytea NOT NULL) PARTITION BY LIST (keep);
CREATE TABLE new_rollup_1h (LIKE new_rollup_5m) PARTITION BY LIST (keep);
CREATE TABLE new_rollup_1d (LIKE new_rollup_5m) PARTITION BY LIST (keep);
-- +goose StatementBegin
DO $$
DECLARE
  spans CONSTANT jsonb := '{"days": 7, "rollup_5m": 28, "rollup_1h": 28, "rollup_1d": 336}';
  name text; leaf text; first int;
BEGIN
  FOR name IN SELECT jsonb_object_keys(spans) LOOP
    EXECUTE format('ALTER TABLE new_%s ALTER COLUMN data SET STORAGE EXTERNAL', name);
    EXECUTE format('CREATE TABLE %s_k0 PARTITION OF new_%s (PRIMARY KEY (series_id, day)) FOR VALUES IN (0) PARTITION BY RANGE (day)',
      name, name);
    FOR leaf IN SELECT inhrelid::regclass::text FROM pg_inherits WHERE inhparent = name::regclass LOOP
      first := replace(substr(leaf, length(name) + 2), 'm', '-')::int;
      EXECUTE format('ALTER TABLE %s DETACH PARTITION %s', name, leaf);
      EXECUTE format('ALTER TABLE %s ADD COLUMN keep int NOT NULL DEFAULT 0', leaf);
      EXECUTE format('ALTER TABLE %s RENAME TO %s_k0_%s', leaf, name, substr(leaf, length(name) + 2));
      EXECUTE format('ALTER TABLE %s_k0 ATTACH PARTITION %s_k0_%s FOR VALUES FROM (%s) TO (%s)', name, name, substr(leaf, length(name)
        + 2), first, first + (spans->>name)::int);
    END LOOP;
    EXECUTE format('DROP TABLE %s', name);
    EXECUTE format('ALTER TABLE new_%s RENAME TO %s', name, name);
  END LOOP;
END $$;
-- +goose StatementEnd

-- Days; NULL means the setting for all. A change is settled when what is
-- stored already lies where it says.
ALTER TABLE keeps RENAME COLUMN days TO points;
ALTER TABLE keeps ALTER COLUMN points DROP NOT NULL;
ALTER TABLE keeps DROP CONSTRAINT keeps_days_check;
ALTER TABLE keeps ADD COLUMN five_minutes int, ADD COLUMN hours int, ADD COLUMN days int, ADD COLUMN settled boolean NOT NULL DEFAULT false;
ALTER TABLE keeps ADD CONSTRAINT keeps_range CHECK (points BETWEEN 1 AND 3650 AND five_minutes BETWEEN 1 AND 7300 AND hours BETWEEN 1
  AND 7300 AND days BETWEEN 1 AND 7300);

-- +goose Down
DELETE FROM keeps WHERE points IS NULL;
ALTER TABLE keeps DROP CONSTRAINT keeps_range, DROP COLUMN five_minutes, DROP COLUMN hours, DROP COLUMN days, DROP COLUMN settled;
ALTER TABLE keeps RENAME COLUMN points TO days;
ALTER TABLE keeps ALTER COLUMN days SET NOT NULL, ADD CONSTRAINT keeps_days_check CHECK (days BETWEEN 1 AND 3650);
-- +goose StatementBegin
DO $$
DECLARE
  spans CONSTANT jsonb := '{"days": 7, "rollup_5m": 28, "rollup_1h": 28, "rollup_1d": 336}';
  name text; first int;
BEGIN
  FOR name IN SELECT jsonb_object_keys(spans) LOOP
    EXECUTE format(
      'CREATE TABLE old_%s (series_id bigint NOT NULL, day int NOT NULL, %s data bytea NOT NULL,
        PRIMARY KEY (series_id, day)) PARTITION BY RANGE (day)',
      name, CASE name WHEN 'days' THEN 'seq bigint NOT NULL,' ELSE '' END);
    EXECUTE format('ALTER TABLE old_%s ALTER COLUMN data SET STORAGE EXTERNAL', name);
    FOR first IN EXECUTE format('SELECT DISTINCT day - ((day %% %s) + %s) %% %s FROM %s', spans->>name, spans->>name, spans->>name,
      name) LOOP
      EXECUTE format('CREATE TABLE %s_%s PARTITION OF old_%s FOR VALUES FROM (%s) TO (%s)', name, replace(first::text, '-', 'm'), name,
        first, first + (spans->>name)::int);
    END LOOP;
    EXECUTE format('INSERT INTO old_%s SELECT series_id, day, %s data FROM %s', name, CASE name WHEN 'days' THEN 'seq,' ELSE '' END, name);
    EXECUTE format('DROP TABLE %s', name);
    EXECUTE format('ALTER TABLE old_%s RENAME TO %s', name, name);
  END LOOP;
END $$;
-- +goose StatementEnd
