-- Conditions that people come back to, by their names.
CREATE TABLE kept_filter (
  id bigserial PRIMARY KEY,
  system text NOT NULL REFERENCES system (id) ON DELETE CASCADE,
  dataset text NOT NULL,
  name text NOT NULL,
  condition text NOT NULL,
  person text NOT NULL,
  UNIQUE (system, dataset, name)
);
