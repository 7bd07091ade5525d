-- Encrypted with the key file; the connection itself holds no secret.
ALTER TABLE system ADD COLUMN secrets text;
ALTER TABLE system ADD COLUMN state_since timestamptz;

-- What this Versicle is known by, and the like.
CREATE TABLE house (
  name text PRIMARY KEY,
  value text NOT NULL
);

-- What people settled about a dataset: how its file is read, how its records are asked for, what it selects.
CREATE TABLE dataset_setting (
  system text NOT NULL REFERENCES system (id) ON DELETE CASCADE,
  dataset text NOT NULL,
  setting jsonb NOT NULL,
  updated_at timestamptz NOT NULL DEFAULT now(),
  PRIMARY KEY (system, dataset)
);

-- What was sent to a webhook. A delivery that comes twice counts once.
CREATE TABLE received (
  id bigserial PRIMARY KEY,
  system text NOT NULL REFERENCES system (id) ON DELETE CASCADE,
  delivery text NOT NULL,
  received_at timestamptz NOT NULL DEFAULT now(),
  headers text NOT NULL,
  body text NOT NULL,
  UNIQUE (system, delivery)
);

-- Structures as they were known over time.
CREATE TABLE structure (
  system text NOT NULL REFERENCES system (id) ON DELETE CASCADE,
  dataset text NOT NULL,
  number integer NOT NULL,
  source text NOT NULL,
  fields jsonb NOT NULL,
  at timestamptz NOT NULL DEFAULT now(),
  PRIMARY KEY (system, dataset, number)
);

CREATE TABLE profile (
  id serial PRIMARY KEY,
  system text NOT NULL REFERENCES system (id) ON DELETE CASCADE,
  dataset text NOT NULL,
  at timestamptz NOT NULL DEFAULT now(),
  state text NOT NULL,
  -- Null: all records are looked at.
  row_limit bigint,
  result json,
  problem text
);
CREATE INDEX profile_dataset ON profile (system, dataset, id);

-- Checks that people add, in the rule language.
CREATE TABLE data_check (
  id serial PRIMARY KEY,
  system text NOT NULL REFERENCES system (id) ON DELETE CASCADE,
  dataset text NOT NULL,
  rule text NOT NULL,
  message text NOT NULL
);

CREATE TABLE looked_over (
  system text NOT NULL REFERENCES system (id) ON DELETE CASCADE,
  dataset text NOT NULL,
  person text NOT NULL,
  note text NOT NULL,
  at timestamptz NOT NULL DEFAULT now(),
  -- What the dataset was then; when it differs, it counts no more.
  mark text NOT NULL,
  PRIMARY KEY (system, dataset)
)
