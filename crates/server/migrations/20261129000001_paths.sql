-- A session's map of signal paths, as JSON; no row where none was drawn.
CREATE TABLE path_maps (
    session_id BINARY(16) PRIMARY KEY,
    content LONGTEXT NOT NULL,
    CONSTRAINT path_maps_of_session FOREIGN KEY (session_id) REFERENCES sessions (id) ON DELETE CASCADE
);
