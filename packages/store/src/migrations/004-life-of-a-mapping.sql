-- Code tables that mappings share, as documents of their own.
CREATE TABLE code_table (
  name text PRIMARY KEY,
  description text NOT NULL DEFAULT '',
  codes json NOT NULL,
  -- What a code becomes that does not stand in it; null: it fails.
  otherwise text,
  -- The outside service that translates codes of this table.
  translation jsonb,
  version integer NOT NULL DEFAULT 1,
  updated_at timestamptz NOT NULL DEFAULT now(),
  updated_by text NOT NULL
);

-- What an outside service answered, so that it is asked once.
CREATE TABLE code_translation (
  code_table text NOT NULL REFERENCES code_table (name) ON DELETE CASCADE,
  code text NOT NULL,
  answer text,
  problem text,
  at timestamptz NOT NULL DEFAULT now(),
  PRIMARY KEY (code_table, code)
);

-- Which record of the target each delivered record of the source became.
CREATE TABLE key_map (
  mapping text NOT NULL REFERENCES mapping (id) ON DELETE CASCADE,
  source text NOT NULL,
  target text NOT NULL,
  -- Null: it was imported.
  run integer,
  at timestamptz NOT NULL DEFAULT now(),
  PRIMARY KEY (mapping, source)
);
CREATE INDEX key_map_target ON key_map (mapping, target);

-- Mappings whose keys are kept although no other mapping asks for them yet.
CREATE TABLE key_map_kept (
  mapping text PRIMARY KEY REFERENCES mapping (id) ON DELETE CASCADE
);

-- What people said about a line, and what they did to it.
CREATE TABLE line_event (
  id bigserial PRIMARY KEY,
  mapping text NOT NULL REFERENCES mapping (id) ON DELETE CASCADE,
  line text NOT NULL,
  what text NOT NULL,
  message text NOT NULL DEFAULT '',
  -- Of an edit: for each part of the line, what it was and what it became.
  parts json,
  by text NOT NULL,
  at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX line_event_line ON line_event (mapping, line, id);

-- Documents to begin others with.
CREATE TABLE starter (
  id text PRIMARY KEY,
  name text NOT NULL,
  document text NOT NULL,
  kept_by text NOT NULL,
  at timestamptz NOT NULL DEFAULT now()
)
