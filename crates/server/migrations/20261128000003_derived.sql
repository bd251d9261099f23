-- What is measured of a session's tracks, of every kind: kept under what it depends on, so that a stale one is never shown as
-- fitting. All of it can be measured again, and is where it is missing.
CREATE TABLE derived (
    session_id BINARY(16) NOT NULL,
    -- check, pair or image.
    kind VARCHAR(16) NOT NULL,
    -- Which of its kind; empty where a session has one.
    subject VARCHAR(80) NOT NULL,
    basis CHAR(64) NOT NULL,
    result LONGTEXT NOT NULL,
    PRIMARY KEY (session_id, kind, subject),
    CONSTRAINT derived_of_session FOREIGN KEY (session_id) REFERENCES sessions (id) ON DELETE CASCADE
);
DROP TABLE checks;
DROP TABLE images;
DROP TABLE measurements;
-- Their jobs were written down otherwise; they are asked for again.
DELETE FROM jobs WHERE kind IN ('check', 'image', 'measure');
