-- To which addresses a credential may be sent: those of the sweeps that used it,
-- and those of the devices that are asked with it. For others its secret is asked
-- for again.

-- +goose Up
ALTER TABLE credentials ADD COLUMN ranges text NOT NULL DEFAULT '';
UPDATE credentials c SET ranges = coalesce((
  SELECT string_agg(DISTINCT r, E'\n') FROM (
    SELECT w.ranges AS r FROM sweeps w JOIN sweep_credentials s ON s.sweep_id = w.id WHERE s.credential_id = c.id
    UNION SELECT host(coalesce(e.address, d.address)) FROM endpoints e JOIN devices d ON d.id = e.device_id WHERE e.credential_id = c.id
  ) x), '');

-- +goose Down
ALTER TABLE credentials DROP COLUMN ranges;
