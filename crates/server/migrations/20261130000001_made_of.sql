-- Tracks that were made of others, as JSON: of which, after which lead, and under what key. NULL for what was brought in.
ALTER TABLE tracks
    ADD COLUMN made_of LONGTEXT NULL;
