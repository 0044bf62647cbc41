-- A sweep that finds a known device under another address, or that answers to
-- another credential, proposes to take that over.

-- +goose Up
ALTER TABLE finds ADD COLUMN proposal text NOT NULL DEFAULT '';
ALTER TABLE finds ADD COLUMN doubt text NOT NULL DEFAULT '';
ALTER TABLE finds DROP CONSTRAINT finds_verdict_check;
ALTER TABLE finds ADD CHECK (verdict IN ('new', 'known', 'moved', 'adopted', 'ignored'));

-- +goose Down
UPDATE finds SET verdict = 'known' WHERE verdict = 'moved';
ALTER TABLE finds DROP CONSTRAINT finds_verdict_check;
ALTER TABLE finds ADD CHECK (verdict IN ('new', 'known', 'adopted', 'ignored'));
ALTER TABLE finds DROP COLUMN proposal, DROP COLUMN doubt;
