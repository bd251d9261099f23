-- Changes of tempo and metre after the first beat, as JSON.
ALTER TABLE sessions
    ADD COLUMN tempo_changes LONGTEXT NOT NULL DEFAULT '[]';
