-- The planner takes a column that it knows nothing of to be NULL in one row of 200,
-- and expects next to no watched devices until the next automatic analysis.

-- +goose Up
ANALYZE all_devices;

-- +goose Down
SELECT 1;
