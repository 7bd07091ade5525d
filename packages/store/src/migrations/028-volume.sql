-- What a line of a log is: something that went as it should, something to look at, what ended the run.
ALTER TABLE run_log ADD COLUMN level text NOT NULL DEFAULT 'info' CHECK (level IN ('info', 'warning', 'error'));

-- What runs moved that are not kept any more, by day (of UTC), plan and systems.
CREATE TABLE volume (
  day date NOT NULL,
  plan text NOT NULL,
  source text NOT NULL,
  target text NOT NULL,
  runs bigint NOT NULL,
  read bigint NOT NULL,
  delivered bigint NOT NULL,
  failed bigint NOT NULL,
  bytes_read bigint NOT NULL,
  bytes_sent bigint NOT NULL,
  requests bigint NOT NULL,
  PRIMARY KEY (day, plan, source, target)
);
