-- A session: recordings of one event on one time line.
CREATE TABLE sessions (
    id BINARY(16) PRIMARY KEY,
    name VARCHAR(200) NOT NULL,
    -- None until the first recording is in: that one sets it.
    rate_hz INT UNSIGNED NULL,
    -- Frames since midnight of the session's frame 0, at the session's rate; none until a time stamp is seen.
    origin_frames BIGINT NULL,
    temperature_c DOUBLE NOT NULL DEFAULT 20,
    bpm DOUBLE NOT NULL DEFAULT 120,
    anchor_id BINARY(16) NULL,
    -- Counts every change, so that pages know when to read again.
    revision BIGINT NOT NULL DEFAULT 0,
    is_demo BOOLEAN NOT NULL DEFAULT FALSE,
    created_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6)
);

-- A recording's bytes, stored once by their SHA-256.
CREATE TABLE recordings (
    sha256 BINARY(32) PRIMARY KEY,
    bytes BIGINT UNSIGNED NOT NULL,
    created_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6)
);

-- One channel of a recording in a session, with the correction it carries.
CREATE TABLE tracks (
    id BINARY(16) PRIMARY KEY,
    session_id BINARY(16) NOT NULL,
    sha256 BINARY(32) NOT NULL,
    channel SMALLINT UNSIGNED NOT NULL,
    channels SMALLINT UNSIGNED NOT NULL,
    -- Channels of one file stay linked: they move together.
    link_id BINARY(16) NULL,
    file_name VARCHAR(255) NOT NULL,
    coding VARCHAR(60) NOT NULL,
    file_rate_hz INT UNSIGNED NOT NULL,
    notes LONGTEXT NOT NULL,
    -- Milliseconds since 1970 of the moment it was chosen: jobs end in any order.
    position BIGINT NOT NULL,
    name VARCHAR(200) NOT NULL,
    role VARCHAR(16) NOT NULL,
    source VARCHAR(120) NOT NULL,
    side VARCHAR(8) NOT NULL,
    -- Session frame at which the recording's first frame sounds, as recorded.
    start_frame BIGINT NOT NULL,
    frames BIGINT NOT NULL,
    offset_frames DOUBLE NOT NULL DEFAULT 0,
    invert BOOLEAN NOT NULL DEFAULT FALSE,
    gain_db DOUBLE NOT NULL DEFAULT 0,
    CONSTRAINT tracks_of_session FOREIGN KEY (session_id) REFERENCES sessions (id) ON DELETE CASCADE,
    CONSTRAINT tracks_of_recording FOREIGN KEY (sha256) REFERENCES recordings (sha256),
    UNIQUE KEY one_track_a_channel (session_id, sha256, channel)
);

-- What was decided: every row holds before and after. Undo and redo walk the rows.
CREATE TABLE decisions (
    id BIGINT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
    session_id BINARY(16) NOT NULL,
    label VARCHAR(300) NOT NULL,
    changes LONGTEXT NOT NULL,
    -- done, undone, or superseded (undone and then decided anew: kept, but out of reach of redo).
    state VARCHAR(12) NOT NULL DEFAULT 'done',
    created_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
    KEY decisions_in_order (session_id, state, id),
    CONSTRAINT decisions_of_session FOREIGN KEY (session_id) REFERENCES sessions (id) ON DELETE CASCADE
);

-- What B is to A as recorded. Kept under what it depends on, so that a stale row is never shown.
CREATE TABLE measurements (
    a_id BINARY(16) NOT NULL,
    b_id BINARY(16) NOT NULL,
    basis VARCHAR(200) NOT NULL,
    result LONGTEXT NOT NULL,
    PRIMARY KEY (a_id, b_id),
    CONSTRAINT measurements_of_a FOREIGN KEY (a_id) REFERENCES tracks (id) ON DELETE CASCADE,
    CONSTRAINT measurements_of_b FOREIGN KEY (b_id) REFERENCES tracks (id) ON DELETE CASCADE
);

-- Long work. A worker holds a lease while it works; a lease that ran out goes to the next worker.
CREATE TABLE jobs (
    id BINARY(16) PRIMARY KEY,
    session_id BINARY(16) NOT NULL,
    kind VARCHAR(16) NOT NULL,
    title VARCHAR(300) NOT NULL,
    payload LONGTEXT NOT NULL,
    state VARCHAR(12) NOT NULL DEFAULT 'queued',
    progress DOUBLE NOT NULL DEFAULT 0,
    doing VARCHAR(300) NOT NULL DEFAULT '',
    result LONGTEXT NULL,
    error TEXT NULL,
    cancel BOOLEAN NOT NULL DEFAULT FALSE,
    worker BINARY(16) NULL,
    lease_until DATETIME(6) NULL,
    attempts INT NOT NULL DEFAULT 0,
    created_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
    updated_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6) ON UPDATE CURRENT_TIMESTAMP(6),
    KEY jobs_to_claim (state, created_at),
    KEY jobs_of_session (session_id, updated_at),
    CONSTRAINT jobs_have_session FOREIGN KEY (session_id) REFERENCES sessions (id) ON DELETE CASCADE
);
