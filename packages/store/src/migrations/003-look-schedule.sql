-- When all datasets of a system are looked at by themselves.
ALTER TABLE system ADD COLUMN look_cron text;
ALTER TABLE system ADD COLUMN look_zone text;
-- From when the next time is counted: the last look, or when the schedule was made.
ALTER TABLE system ADD COLUMN looked_at timestamptz;
