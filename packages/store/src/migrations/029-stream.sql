-- Who holds the connection over which a system's records keep coming, and after which record it goes on.
CREATE TABLE listener (
  system text PRIMARY KEY REFERENCES system (id) ON DELETE CASCADE,
  checkpoint text,
  holder text,
  held_until timestamptz
);

-- A delivery whose id came before with another body has a number after its id.
CREATE INDEX received_origin ON received (system, split_part(delivery, E'\x1f', 1), id);

-- Keeps what came under an id, unless the newest that is kept under it is the same. Gives 'new', 'known' or 'changed'.
CREATE FUNCTION take_received(of text, name text, about text, content text, digest text) RETURNS text LANGUAGE plpgsql AS $$
DECLARE newest text;
BEGIN
  SELECT r.hash INTO newest FROM received r WHERE r.system = of AND split_part(r.delivery, E'\x1f', 1) = name ORDER BY r.id DESC LIMIT 1;
  IF newest IS NULL THEN
    INSERT INTO received (system, delivery, headers, body, hash) VALUES (of, name, about, content, digest);
    RETURN 'new';
  END IF;
  IF newest = digest THEN
    RETURN 'known';
  END IF;
  INSERT INTO received (system, delivery, headers, body, hash)
  VALUES (of, name || E'\x1f' || nextval('received_id_seq'), about, content, digest);
  RETURN 'changed';
END $$;

-- What is kept of a connection is kept by whoever holds it.
CREATE FUNCTION require_listener(of text, by_whom text) RETURNS void LANGUAGE plpgsql AS $$
BEGIN
  PERFORM 1 FROM listener WHERE system = of AND holder = by_whom FOR UPDATE;
  IF NOT FOUND THEN
    RAISE EXCEPTION 'the records of % are taken elsewhere now', of USING ERRCODE = 'VRS01';
  END IF;
END $$;
