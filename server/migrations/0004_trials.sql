-- Scenes that are being worked out, so that a server which ended meanwhile is not ended by the same scene again.
CREATE TABLE trials (
    scene uuid PRIMARY KEY REFERENCES scenes (id) ON DELETE CASCADE,
    running boolean NOT NULL,
    -- How often a server ended while it was worked out; two for the one that was worked out alone.
    ended integer NOT NULL DEFAULT 0
);
