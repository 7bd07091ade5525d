-- Days by which schedules are due, or are not.
CREATE TABLE calendar (
  name text PRIMARY KEY,
  days text[] NOT NULL,
  -- The iCalendar file that they were read from; null where they were listed.
  icalendar text,
  updated_by text NOT NULL,
  updated_at timestamptz NOT NULL DEFAULT now()
);
