-- The whole-session check, kept under what it depends on.
CREATE TABLE checks (
    session_id BINARY(16) PRIMARY KEY,
    basis VARCHAR(64) NOT NULL,
    result LONGTEXT NOT NULL,
    CONSTRAINT checks_of_session FOREIGN KEY (session_id) REFERENCES sessions (id) ON DELETE CASCADE
);

ALTER TABLE tracks
    -- Empty: the policy that goes with the role.
    ADD COLUMN policy VARCHAR(16) NOT NULL DEFAULT '',
    -- Findings put aside, each with the reason; kept at the first track a finding is about.
    ADD COLUMN dismissed LONGTEXT NOT NULL DEFAULT '{}',
    -- Hits drawn or removed by hand, in session frames.
    ADD COLUMN hits LONGTEXT NOT NULL DEFAULT '{"added":[],"removed":[]}';
