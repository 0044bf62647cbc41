-- How mail is encrypted is said in words; what was set stays.
-- +goose Up
UPDATE channels
SET settings = settings - 'tls' ||
	jsonb_build_object('encryption', CASE settings->>'tls' WHEN 'yes' THEN 'STARTTLS' ELSE 'none' END)
WHERE kind = 'mail';

-- +goose Down
UPDATE channels
SET settings = settings - 'encryption' ||
	jsonb_build_object('tls', CASE settings->>'encryption' WHEN 'none' THEN 'no' ELSE 'yes' END)
WHERE kind = 'mail';
