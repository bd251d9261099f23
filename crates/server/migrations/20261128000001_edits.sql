-- Lists of slices, under the SHA-256 of their JSON: one serves every track of a set.
CREATE TABLE plans (
    id BINARY(32) PRIMARY KEY,
    slices LONGTEXT NOT NULL
);

-- What a track carries, as JSON without its slices. A row never changes; its id is the SHA-256 of its content and of its plan's id.
CREATE TABLE edits (
    id BINARY(32) PRIMARY KEY,
    content LONGTEXT NOT NULL,
    plan_id BINARY(32) NULL,
    CONSTRAINT edits_of_plan FOREIGN KEY (plan_id) REFERENCES plans (id)
);

ALTER TABLE tracks
    ADD COLUMN edit_id BINARY(32) NULL,
    ADD CONSTRAINT tracks_carry_edit FOREIGN KEY (edit_id) REFERENCES edits (id);

-- A track's part in a decision. The edits are none where it left the sound alone.
CREATE TABLE changes (
    decision_id BIGINT UNSIGNED NOT NULL,
    track_id BINARY(16) NOT NULL,
    edit_before BINARY(32) NULL,
    edit_after BINARY(32) NULL,
    -- What is known of the track (name, source, side and so on), as JSON.
    facts_before LONGTEXT NOT NULL,
    facts_after LONGTEXT NOT NULL,
    PRIMARY KEY (decision_id, track_id),
    CONSTRAINT changes_of_decision FOREIGN KEY (decision_id) REFERENCES decisions (id) ON DELETE CASCADE,
    CONSTRAINT changes_of_track FOREIGN KEY (track_id) REFERENCES tracks (id) ON DELETE CASCADE,
    CONSTRAINT changes_from_edit FOREIGN KEY (edit_before) REFERENCES edits (id),
    CONSTRAINT changes_to_edit FOREIGN KEY (edit_after) REFERENCES edits (id)
);
