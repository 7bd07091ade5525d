-- What the records of a run have and the structure of their source does not know, by path: how many, and where first.
ALTER TABLE run ADD COLUMN unread json;
