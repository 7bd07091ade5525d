CREATE TABLE system (
  id text PRIMARY KEY,
  name text NOT NULL,
  connection jsonb NOT NULL,
  diagnosis jsonb,
  created_at timestamptz NOT NULL DEFAULT now()
);

CREATE TABLE mapping (
  id text PRIMARY KEY,
  draft text NOT NULL,
  version integer NOT NULL DEFAULT 1,
  created_at timestamptz NOT NULL DEFAULT now(),
  updated_at timestamptz NOT NULL DEFAULT now()
);

-- Revisions are never changed: runs are pinned to them.
CREATE TABLE revision (
  mapping text NOT NULL REFERENCES mapping (id),
  number integer NOT NULL,
  document text NOT NULL,
  note text NOT NULL,
  published_at timestamptz NOT NULL DEFAULT now(),
  published_by text NOT NULL,
  PRIMARY KEY (mapping, number)
);

CREATE TABLE plan (
  id text PRIMARY KEY,
  name text NOT NULL,
  mapping text NOT NULL REFERENCES mapping (id),
  created_at timestamptz NOT NULL DEFAULT now()
);

CREATE TABLE run (
  id serial PRIMARY KEY,
  kind text NOT NULL CHECK (kind IN ('full', 'replay')),
  plan text NOT NULL REFERENCES plan (id),
  mapping text NOT NULL,
  revision integer NOT NULL,
  state text NOT NULL DEFAULT 'queued',
  row_limit bigint,
  started_by text NOT NULL,
  created_at timestamptz NOT NULL DEFAULT now(),
  started_at timestamptz,
  finished_at timestamptz,
  -- What was found when the run began: files with size and time of change. A resumed run reads the same or not at all.
  source jsonb,
  chunk integer NOT NULL DEFAULT 0,
  read bigint NOT NULL DEFAULT 0,
  filtered bigint NOT NULL DEFAULT 0,
  skipped bigint NOT NULL DEFAULT 0,
  failed bigint NOT NULL DEFAULT 0,
  delivered bigint NOT NULL DEFAULT 0,
  remarks bigint NOT NULL DEFAULT 0,
  bytes_done bigint,
  bytes_total bigint,
  error text,
  FOREIGN KEY (mapping, revision) REFERENCES revision (mapping, number)
);

CREATE TABLE run_chunk (
  run integer NOT NULL REFERENCES run (id),
  chunk integer NOT NULL,
  at timestamptz NOT NULL DEFAULT clock_timestamp(),
  read bigint NOT NULL,
  delivered bigint NOT NULL,
  PRIMARY KEY (run, chunk)
);

CREATE TABLE run_log (
  id bigserial PRIMARY KEY,
  run integer NOT NULL REFERENCES run (id),
  at timestamptz NOT NULL DEFAULT clock_timestamp(),
  message text NOT NULL
);
CREATE INDEX run_log_run ON run_log (run, id);

-- One row for each record that is or was in the way; the same source record that fails again stays the same row.
CREATE TABLE failed_record (
  id bigserial PRIMARY KEY,
  mapping text NOT NULL REFERENCES mapping (id),
  -- Hash of the record as read, and its how-manieth occurrence among equal ones.
  identity text NOT NULL,
  state text NOT NULL,
  run integer NOT NULL REFERENCES run (id),
  revision integer NOT NULL,
  row_number bigint NOT NULL,
  file text,
  cause text NOT NULL,
  line text,
  message text NOT NULL,
  -- The values involved in the first failure, for grouping and search.
  example text NOT NULL,
  label text NOT NULL,
  failures jsonb NOT NULL,
  -- json, not jsonb: the fields stay in the order in which they were read.
  source json NOT NULL,
  mapped json NOT NULL,
  answer text,
  first_seen timestamptz NOT NULL DEFAULT now(),
  updated_at timestamptz NOT NULL DEFAULT now()
);
CREATE UNIQUE INDEX failed_record_open ON failed_record (mapping, identity) WHERE state IN ('open', 'replaying', 'remark');
CREATE INDEX failed_record_group ON failed_record (state, mapping, cause, line);
CREATE INDEX failed_record_run ON failed_record (run);

CREATE TABLE failed_event (
  id bigserial PRIMARY KEY,
  record bigint NOT NULL REFERENCES failed_record (id),
  run integer NOT NULL,
  revision integer NOT NULL,
  at timestamptz NOT NULL DEFAULT now(),
  what text NOT NULL,
  message text NOT NULL
);
CREATE INDEX failed_event_record ON failed_event (record, id);
CREATE UNIQUE INDEX failed_event_once ON failed_event (record, run, what);

CREATE TABLE replay_item (
  run integer NOT NULL REFERENCES run (id),
  record bigint NOT NULL REFERENCES failed_record (id),
  PRIMARY KEY (run, record)
)
