-- Several processes on one store: who they are, what each of them sees to, and what is asked of the one that carries a run out.
CREATE TABLE worker (
  id text PRIMARY KEY,
  host text NOT NULL,
  pid integer NOT NULL,
  work text NOT NULL,
  version text NOT NULL,
  address text,
  -- Where the records lie that it fetches; others with the same reach them. And the data directory, which it has alone.
  place text NOT NULL,
  home text NOT NULL,
  started_at timestamptz NOT NULL DEFAULT clock_timestamp(),
  seen_at timestamptz NOT NULL DEFAULT clock_timestamp()
);
-- What one process at a time sees to for all: schedules, connections, what is old.
CREATE TABLE duty (
  name text PRIMARY KEY,
  holder text NOT NULL,
  until timestamptz NOT NULL
);
-- What a person wants of a run that another process carries out.
ALTER TABLE run ADD COLUMN wanted text CHECK (wanted IN ('cancelled', 'paused'));
CREATE INDEX run_wanted ON run (id) WHERE wanted IS NOT NULL;
-- Where its fetched records lie, or those that a share gave it; null: it needs none.
ALTER TABLE run ADD COLUMN records_at text;
-- Whose claim ran out when somebody else took the run over; null: nobody's did.
ALTER TABLE run ADD COLUMN taken_from text;
ALTER TABLE profile ADD COLUMN claimed_by text, ADD COLUMN claimed_until timestamptz, ADD COLUMN attempts integer NOT NULL DEFAULT 0;
-- An embedded database is a directory of one process.
CREATE TABLE embedded_database (
  name text PRIMARY KEY,
  place text NOT NULL
);
-- The last trial of a mapping, wherever it is carried out.
CREATE TABLE trial (
  mapping text PRIMARY KEY REFERENCES mapping (id) ON DELETE CASCADE,
  worker text NOT NULL,
  place text NOT NULL,
  state json NOT NULL
);
-- A person who agrees at another side comes back to any of the processes.
CREATE TABLE sign_in (
  state text PRIMARY KEY,
  system text NOT NULL,
  -- Sealed: who has it can finish what another person began.
  begun text NOT NULL,
  until timestamptz NOT NULL
);
