-- A pace says of what time it is.
UPDATE system SET connection = connection - 'perMinute' || jsonb_build_object('pace', (connection ->> 'perMinute') || ' a minute')
 WHERE connection ? 'perMinute';
