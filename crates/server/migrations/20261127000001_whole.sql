ALTER TABLE jobs
    -- Times this job alone brought its own process down: what ended the whole server is no fault of the job.
    ADD COLUMN crashes INT NOT NULL DEFAULT 0,
    ADD KEY jobs_by_kind (session_id, kind, state, created_at);

ALTER TABLE tracks
    -- Taken out of the session by a decision, and brought back by undoing it.
    ADD COLUMN removed BOOLEAN NOT NULL DEFAULT FALSE;

ALTER TABLE decisions
    -- Parts of the desk (order, groups, marks, hidden lanes) that a decision changed, before and after.
    ADD COLUMN desk LONGTEXT NULL,
    -- Moves made while a key is held become one decision: they carry the same word.
    ADD COLUMN series VARCHAR(64) NULL;

-- Files that were announced and are still on their way; their bytes lie in the store under this id.
CREATE TABLE uploads (
    id BINARY(16) PRIMARY KEY,
    session_id BINARY(16) NOT NULL,
    file_name VARCHAR(255) NOT NULL,
    bytes BIGINT UNSIGNED NOT NULL,
    -- Milliseconds since 1970 of the moment it was chosen.
    position BIGINT NOT NULL,
    created_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
    updated_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6) ON UPDATE CURRENT_TIMESTAMP(6),
    KEY uploads_in_order (session_id, position),
    CONSTRAINT uploads_of_session FOREIGN KEY (session_id) REFERENCES sessions (id) ON DELETE CASCADE
);

-- Never holds a row: whether a large one fits tells whether the disk is full.
CREATE TABLE probes (
    filling LONGTEXT NOT NULL
);
