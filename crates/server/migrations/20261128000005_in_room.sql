-- What somebody measured of a microphone in the room, as JSON: distances and a place.
ALTER TABLE tracks
    ADD COLUMN in_room LONGTEXT NOT NULL DEFAULT '{}';
