-- When the window of a target opens that is closed now.
ALTER TABLE sender ADD COLUMN opens timestamptz;
