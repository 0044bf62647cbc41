-- A sweep that the end of the program broke off goes on where it was: what answered so far,
-- and the last address of which, and of all before it, it is known whether it does.
-- +goose Up
ALTER TABLE sweeps ADD COLUMN reached inet;
CREATE TABLE sweep_answers (
  sweep_id      bigint NOT NULL REFERENCES sweeps ON DELETE CASCADE,
  address       inet NOT NULL,
  credential_id bigint REFERENCES credentials ON DELETE SET NULL,
  said          jsonb NOT NULL,
  PRIMARY KEY (sweep_id, address)
);

-- +goose Down
DROP TABLE sweep_answers;
ALTER TABLE sweeps DROP COLUMN reached;
