-- A plan is a document with versions. A run of a plan with several steps holds the runs of its steps.
ALTER TABLE plan ADD COLUMN document json;
ALTER TABLE plan ADD COLUMN version integer NOT NULL DEFAULT 1;
-- What would start it by itself starts nothing while it is held.
ALTER TABLE plan ADD COLUMN held boolean NOT NULL DEFAULT false;
UPDATE plan SET document = json_build_object('versicle', 1, 'kind', 'plan', 'name', name, 'steps', json_build_array(
  json_build_object('id', 'load', 'kind', 'mapping', 'mapping', mapping, 'removesAtMost', removes_at_most)));
ALTER TABLE plan ALTER COLUMN document SET NOT NULL;

CREATE TABLE plan_version (
  plan text NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  number integer NOT NULL,
  document json NOT NULL,
  at timestamptz NOT NULL DEFAULT now(),
  person text NOT NULL,
  PRIMARY KEY (plan, number)
);
INSERT INTO plan_version (plan, number, document, at, person) SELECT id, 1, document, created_at, '' FROM plan;

-- What a plan speaks of: mappings, systems and other plans, by their ids.
CREATE TABLE plan_use (
  plan text NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  thing text NOT NULL CHECK (thing IN ('mapping', 'system', 'plan')),
  name text NOT NULL,
  PRIMARY KEY (plan, thing, name)
);
CREATE INDEX plan_use_name ON plan_use (thing, name);
INSERT INTO plan_use (plan, thing, name) SELECT id, 'mapping', mapping FROM plan;

-- What starts plans by itself: when it is next due, and up to when its times were seen to.
CREATE TABLE plan_trigger (
  plan text NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  trigger text NOT NULL,
  kind text NOT NULL,
  next timestamptz,
  seen timestamptz NOT NULL DEFAULT clock_timestamp(),
  -- What it has taken already, by its kind.
  taken json,
  problem text,
  PRIMARY KEY (plan, trigger)
);
CREATE INDEX plan_trigger_next ON plan_trigger (next) WHERE next IS NOT NULL;

ALTER TABLE run DROP CONSTRAINT run_kind_check;
ALTER TABLE run ADD CONSTRAINT run_kind_check CHECK (kind IN ('full', 'replay', 'plan', 'each', 'sql', 'request'));
ALTER TABLE run ALTER COLUMN mapping DROP NOT NULL;
ALTER TABLE run ALTER COLUMN revision DROP NOT NULL;
-- The run that it is a step of, which step, and for which record or item of an each.
ALTER TABLE run ADD COLUMN parent integer REFERENCES run (id);
ALTER TABLE run ADD COLUMN step text;
ALTER TABLE run ADD COLUMN item integer NOT NULL DEFAULT 0;
-- What it carries out, as it was when it was started; for an each, the variables of its items.
ALTER TABLE run ADD COLUMN carries json;
ALTER TABLE run ADD COLUMN variables json NOT NULL DEFAULT '{}';
ALTER TABLE run ADD COLUMN items json;
ALTER TABLE run ADD COLUMN plan_version integer;
-- What started it, and the very event that did: no event ever starts a plan twice.
ALTER TABLE run ADD COLUMN trigger text;
ALTER TABLE run ADD COLUMN occasion text;
-- What follows from its end has been seen to.
ALTER TABLE run ADD COLUMN followed boolean NOT NULL DEFAULT false;
UPDATE run SET followed = true WHERE state IN ('finished', 'cancelled', 'stopped', 'broken');
UPDATE run SET carries = (SELECT p.document -> 'steps' -> 0 FROM plan p WHERE p.id = run.plan) WHERE kind = 'full' AND state NOT IN ('finished', 'cancelled', 'stopped');
CREATE UNIQUE INDEX run_of_step ON run (parent, item, step) WHERE parent IS NOT NULL;
CREATE UNIQUE INDEX run_of_occasion ON run (plan, trigger, occasion) WHERE occasion IS NOT NULL;
CREATE INDEX run_going ON run (kind, id) WHERE state IN ('queued', 'running', 'asks', 'broken');
CREATE INDEX run_to_follow ON run (id) WHERE parent IS NULL AND NOT followed;
ALTER TABLE plan DROP COLUMN mapping;
ALTER TABLE plan DROP COLUMN removes_at_most;
-- The first statement of what is kept of a plan: nobody else has saved it since.
CREATE FUNCTION require_plan(of text, of_version integer) RETURNS void LANGUAGE plpgsql AS $$
BEGIN
  IF (SELECT version FROM plan WHERE id = of FOR UPDATE) IS DISTINCT FROM of_version THEN
    RAISE EXCEPTION 'plan % was saved meanwhile', of USING ERRCODE = 'VRS03';
  END IF;
END $$;
