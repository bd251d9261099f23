-- Stretches of a track that carry something besides what the whole of it carries, as JSON.
ALTER TABLE tracks
    ADD COLUMN mends LONGTEXT NOT NULL DEFAULT '[]';
