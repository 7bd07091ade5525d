-- What has arrived is taken by plans up to a number: it is numbered in the order in which it is there for others to see, also
-- where several arrive at a time. Otherwise one that comes into view late, with a lower number, would be taken by none.
CREATE FUNCTION next_received() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  PERFORM pg_advisory_xact_lock(7404003);
  NEW.id := nextval('received_id_seq');
  RETURN NEW;
END $$;
CREATE TRIGGER received_in_order BEFORE INSERT ON received FOR EACH ROW EXECUTE FUNCTION next_received();
-- The number is given by the trigger alone: a default would use up one more for each.
ALTER TABLE received ALTER COLUMN id DROP DEFAULT;
