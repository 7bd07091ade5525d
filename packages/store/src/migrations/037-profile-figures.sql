-- What is asked of a profile more often than the whole of it, which may be of many megabytes, stands beside it.
ALTER TABLE profile
  -- Records that it looked at, and those with nothing against them.
  ADD COLUMN records bigint,
  ADD COLUMN clean bigint,
  -- Fields that are keys by themselves: key, distinct, pattern.
  ADD COLUMN keys json NOT NULL DEFAULT '[]';
UPDATE profile SET
  records = (result #>> '{quality,records}')::bigint,
  clean = (result #>> '{quality,clean}')::bigint,
  keys = COALESCE((
    SELECT json_agg(json_build_object('key', f->>'name', 'distinct', f->'distinct', 'pattern', f #>> '{patterns,0,value}'))
      FROM json_array_elements(result #> '{profile,keys}') k, json_array_elements(result #> '{profile,fields}') f
     WHERE json_array_length(k) = 1 AND f->>'name' = k->>0 AND f #>> '{patterns,0,value}' ~ '[0-9]'), '[]')
 WHERE result IS NOT NULL;
-- JSON, packed where it is long. Of earlier ones only the figures are kept.
ALTER TABLE profile ALTER COLUMN result TYPE text USING result::text;
UPDATE profile p SET result = NULL
 WHERE EXISTS (SELECT 1 FROM profile n WHERE n.system = p.system AND n.dataset = p.dataset AND n.state = 'done' AND n.id > p.id);
