-- Whether a record that waits has an earlier one of its order key before it that is held, by itself or with its run, which is
-- paused or goes on by itself after an outage. A function, since it is asked for each record that is sent, and to plan it took
-- longer than to send one. It is looked for by the order key and nothing else: most of what waits has one target and one run,
-- and whatever the database believes of a table that is empty, full and empty again is wrong at most times.
CREATE FUNCTION waits_behind(of text, known text, place bigint) RETURNS boolean LANGUAGE plpgsql STABLE AS $$
BEGIN
  IF known IS NULL THEN
    RETURN false;
  END IF;
  RETURN EXISTS (
    SELECT 1 FROM outbox h WHERE h.held AND h.order_key = known AND h.target || '' = of AND h.id + 0 < place
  ) OR EXISTS (
    SELECT 1 FROM outbox h JOIN run r ON r.id = h.run + 0
     WHERE h.order_key = known AND h.target || '' = of AND h.id + 0 < place
       AND (r.state = 'paused' OR r.state = 'broken' AND r.outage)
  );
END $$;
