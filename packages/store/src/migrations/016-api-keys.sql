-- Keys by which programs ask; only their hashes are kept.
CREATE TABLE api_key (
  id text PRIMARY KEY,
  name text NOT NULL,
  hash text NOT NULL UNIQUE,
  may text[] NOT NULL,
  -- The plans that it may start; null: all of them.
  plans text[],
  made_by text NOT NULL,
  made_at timestamptz NOT NULL DEFAULT now(),
  used_at timestamptz
);
