-- The image of two or more tracks that are channels of one recording, kept under what it depends on.
CREATE TABLE images (
    session_id BINARY(16) NOT NULL,
    -- Digest of the tracks in their order.
    tracks VARCHAR(64) NOT NULL,
    basis VARCHAR(64) NOT NULL,
    result LONGTEXT NOT NULL,
    PRIMARY KEY (session_id, tracks),
    CONSTRAINT images_of_session FOREIGN KEY (session_id) REFERENCES sessions (id) ON DELETE CASCADE
);
