-- Saves of drafts that have arrived: a browser that left before it heard the answer asks for them.
CREATE TABLE draft_save (
  save uuid PRIMARY KEY,
  mapping text NOT NULL REFERENCES mapping (id) ON DELETE CASCADE,
  at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX ON draft_save (mapping);
