-- The edits hold what these columns held; the server has brought it over.
ALTER TABLE tracks
    MODIFY COLUMN edit_id BINARY(32) NOT NULL,
    DROP COLUMN offset_frames,
    DROP COLUMN invert,
    DROP COLUMN gain_db,
    DROP COLUMN mends;
ALTER TABLE decisions
    DROP COLUMN changes;
