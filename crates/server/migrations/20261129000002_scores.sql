-- Notes of rendered instruments: Standard MIDI Files as they came.
CREATE TABLE scores (
    id BINARY(16) PRIMARY KEY,
    session_id BINARY(16) NOT NULL,
    name VARCHAR(200) NOT NULL,
    content MEDIUMBLOB NOT NULL,
    CONSTRAINT scores_of_session FOREIGN KEY (session_id) REFERENCES sessions (id) ON DELETE CASCADE
);
