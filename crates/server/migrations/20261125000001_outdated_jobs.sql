-- Ended because something newer took its place, not because somebody wanted it to end: it may be begun anew.
ALTER TABLE jobs ADD COLUMN outdated BOOLEAN NOT NULL DEFAULT FALSE;
