-- How a session is looked at and listened to: never part of what is measured or delivered.
CREATE TABLE desks (
    session_id BINARY(16) PRIMARY KEY,
    state LONGTEXT NOT NULL,
    CONSTRAINT desks_of_session FOREIGN KEY (session_id) REFERENCES sessions (id) ON DELETE CASCADE
);
