-- Why something was done to a line, as whoever did it says.
ALTER TABLE line_event ADD COLUMN why text NOT NULL DEFAULT '';
