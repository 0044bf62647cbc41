-- What a row is called and what marks it, apart from the key that makes a part
-- unique; which row a counter belongs to.

-- +goose Up
ALTER TABLE parts
  ADD COLUMN called text NOT NULL DEFAULT '',
  ADD COLUMN marks  text NOT NULL DEFAULT '',
  ADD COLUMN reason text NOT NULL DEFAULT '';
UPDATE parts SET called = CASE
  WHEN key = 'row ' || index THEN ''
  WHEN right(key, length(index) + 7) = ' (row ' || index || ')' THEN left(key, -(length(index) + 7))
  ELSE key END;
ALTER TABLE counters
  ADD COLUMN index text NOT NULL DEFAULT '',
  ADD COLUMN since bigint; -- sysUpTime when the counters of the row began; NULL where the device does not tell
UPDATE counters c SET index = p.index FROM series s JOIN parts p ON p.id = s.part_id WHERE s.id = c.series_id;

-- +goose Down
ALTER TABLE counters DROP COLUMN index, DROP COLUMN since;
ALTER TABLE parts DROP COLUMN called, DROP COLUMN marks, DROP COLUMN reason;
