-- What is not well with a plan: from when it was first noticed until a run of it ended without that. `due`: somebody is to be told.
CREATE TABLE matter (
  plan text NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  kind text NOT NULL CHECK (kind IN ('failed', 'stopped', 'late', 'warnings')),
  since timestamptz NOT NULL DEFAULT clock_timestamp(),
  -- The very event that was noticed last, and how many there were.
  occasion text NOT NULL,
  times integer NOT NULL DEFAULT 1,
  due boolean NOT NULL DEFAULT true,
  told_at timestamptz,
  PRIMARY KEY (plan, kind)
);
-- What somebody is told, once for each event.
CREATE TABLE notification (
  id bigserial PRIMARY KEY,
  plan text NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  run integer,
  kind text NOT NULL,
  occasion text NOT NULL,
  means text NOT NULL CHECK (means IN ('mail', 'webhook', 'application')),
  receiver text NOT NULL,
  subject text NOT NULL,
  body text NOT NULL,
  created_at timestamptz NOT NULL DEFAULT clock_timestamp(),
  -- waiting, sent, given up; in the application: waiting until somebody has seen it.
  state text NOT NULL DEFAULT 'waiting',
  attempts integer NOT NULL DEFAULT 0,
  -- When it is sent, or tried again.
  next timestamptz NOT NULL DEFAULT clock_timestamp(),
  problem text,
  settled_at timestamptz,
  UNIQUE (plan, kind, occasion, means, receiver)
);
CREATE INDEX notification_waiting ON notification (next) WHERE state = 'waiting' AND means <> 'application';
CREATE TABLE notification_setting (
  is_only boolean PRIMARY KEY DEFAULT true CHECK (is_only),
  mail_system text,
  digest_hours integer NOT NULL DEFAULT 24,
  quiet_from text,
  quiet_to text,
  zone text NOT NULL DEFAULT 'UTC',
  address text,
  -- What webhooks are signed with, encrypted.
  secret text
);
INSERT INTO notification_setting DEFAULT VALUES;
