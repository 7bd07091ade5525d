-- A person holds a record that waits: it is not sent, and later ones of its order key are not either.
ALTER TABLE outbox ADD COLUMN held boolean NOT NULL DEFAULT false;
-- Which records go first: 0 those of whole loads, 1 those that came by themselves or were chosen, 2 those a person sends first.
ALTER TABLE outbox ADD COLUMN sooner smallint NOT NULL DEFAULT 0;
DROP INDEX outbox_target_id_idx;
CREATE INDEX ON outbox (target, sooner DESC, id);
-- Of a hash, since a key may be as long as it likes.
CREATE INDEX ON outbox USING hash (order_key);
CREATE INDEX outbox_held ON outbox USING hash (order_key) WHERE held;

-- The last answers of a target.
CREATE TABLE target_answer (
  id bigserial PRIMARY KEY,
  target text NOT NULL,
  run integer,
  at timestamptz NOT NULL,
  -- Method and path.
  asked text NOT NULL,
  -- Null: no answer came.
  status integer,
  millis integer NOT NULL,
  message text
);
CREATE INDEX ON target_answer (target, id);

-- What was sent by request for a run, answered or not.
ALTER TABLE run ADD COLUMN requests bigint NOT NULL DEFAULT 0;
ALTER TABLE run ADD COLUMN bytes_sent bigint NOT NULL DEFAULT 0;
