-- Which devices stand where is asked with every page of somebody who sees a part of the tree.
-- A row here each time that devices come, go or move tells whether an earlier answer still holds.
-- Rows are added and never changed, and old ones removed only where nobody else does, so that no
-- two who move devices wait for each other. The last ones stay: what is told of those that are
-- there must never come again.
-- +goose Up
CREATE TABLE device_moves (id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY);
-- +goose StatementBegin
CREATE FUNCTION note_device_moves() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE
  newest bigint;
BEGIN
  INSERT INTO device_moves DEFAULT VALUES RETURNING id INTO newest;
  IF newest % 32 = 0 THEN
    DELETE FROM device_moves WHERE id IN (SELECT id FROM device_moves WHERE id < newest - 32 FOR UPDATE SKIP LOCKED);
  END IF;
  RETURN NULL;
END $$;
-- +goose StatementEnd
CREATE TRIGGER device_moves AFTER INSERT OR DELETE OR TRUNCATE OR UPDATE OF place_id ON all_devices
  FOR EACH STATEMENT EXECUTE FUNCTION note_device_moves();

-- +goose Down
DROP TRIGGER device_moves ON all_devices;
DROP FUNCTION note_device_moves();
DROP TABLE device_moves;
