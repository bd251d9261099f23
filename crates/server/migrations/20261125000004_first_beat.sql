-- Where bar 1 begins, as a frame of the session, and how many beats a bar has.
ALTER TABLE sessions
    ADD COLUMN first_beat_frame BIGINT NOT NULL DEFAULT 0,
    ADD COLUMN beats_a_bar TINYINT UNSIGNED NOT NULL DEFAULT 4;
