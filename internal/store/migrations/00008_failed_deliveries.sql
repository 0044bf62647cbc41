-- Every page tells how many messages reached nobody.

-- +goose Up
CREATE INDEX deliveries_failed ON deliveries (done_at) WHERE state = 'failed';

-- +goose Down
DROP INDEX deliveries_failed;
