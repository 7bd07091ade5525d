-- What fields the source of a mapping has had, and in which run last.
CREATE TABLE source_structure (
  mapping text NOT NULL REFERENCES mapping (id) ON DELETE CASCADE,
  dataset text NOT NULL,
  fields json NOT NULL,
  -- Those that it had first: what failed records are known by stays the same when others are added.
  first json NOT NULL,
  run integer NOT NULL,
  -- The run that asked whether it may go on without a field that earlier ones had.
  asked integer,
  PRIMARY KEY (mapping, dataset)
);
-- Fields that a source has got since: told once.
CREATE TABLE source_news (
  mapping text NOT NULL REFERENCES mapping (id) ON DELETE CASCADE,
  dataset text NOT NULL,
  field text NOT NULL,
  run integer NOT NULL,
  at timestamptz NOT NULL DEFAULT clock_timestamp(),
  seen boolean NOT NULL DEFAULT false,
  PRIMARY KEY (mapping, dataset, field)
);
