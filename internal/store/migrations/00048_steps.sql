-- Readings that people picked lead to what is stored by steps in their order.
-- +goose Up
UPDATE own_kits SET picked = jsonb_set(picked, '{readings}', (
  SELECT coalesce(jsonb_agg(
    (r - 'scale' - 'by' - 'of')
    || jsonb_build_object(
      'treat', CASE r->>'treat' WHEN 'rate' THEN 'number' WHEN 'value' THEN 'number' ELSE r->>'treat' END,
      'steps',
        CASE WHEN r->>'treat' = 'rate' THEN '[{"do":"rate"}]'::jsonb ELSE '[]' END
        || CASE WHEN r ? 'by' THEN jsonb_build_array(jsonb_build_object('do', 'times', 'with', r->>'by')) ELSE '[]' END
        || CASE WHEN r ? 'of' THEN jsonb_build_array(jsonb_build_object('do', 'percent_of', 'with', r->>'of')) ELSE '[]' END
        || CASE WHEN (r->>'scale')::float8 <> 1 AND r->>'treat' IN ('rate', 'value')
             THEN jsonb_build_array(jsonb_build_object('do', 'scale', 'with', r->>'scale')) ELSE '[]' END
    ) ORDER BY n), '[]'::jsonb)
  FROM jsonb_array_elements(picked->'readings') WITH ORDINALITY AS x(r, n)
))
WHERE jsonb_typeof(picked->'readings') = 'array';

-- +goose Down
UPDATE own_kits SET picked = jsonb_set(picked, '{readings}', (
  SELECT coalesce(jsonb_agg(
    (r - 'steps' - 'heartbeat')
    || jsonb_build_object(
      'treat', CASE WHEN r->>'treat' <> 'number' THEN r->>'treat' WHEN r->'steps' @> '[{"do":"rate"}]' THEN 'rate' ELSE 'value' END,
      'scale', coalesce((SELECT (s->>'with')::float8 FROM jsonb_array_elements(r->'steps') AS s WHERE s->>'do' = 'scale' LIMIT 1), 1)
    )
    || coalesce((SELECT jsonb_build_object('by', s->>'with') FROM jsonb_array_elements(r->'steps') AS s
         WHERE s->>'do' = 'times' LIMIT 1), '{}')
    || coalesce((SELECT jsonb_build_object('of', s->>'with') FROM jsonb_array_elements(r->'steps') AS s
         WHERE s->>'do' = 'percent_of' LIMIT 1), '{}')
    ORDER BY n), '[]'::jsonb)
  FROM jsonb_array_elements(picked->'readings') WITH ORDINALITY AS x(r, n)
))
WHERE jsonb_typeof(picked->'readings') = 'array';
