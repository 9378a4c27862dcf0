-- Files may be anything now, and states of a scene are kept under a name.
ALTER TABLE assets ALTER COLUMN content TYPE bytea USING convert_to(content, 'UTF8');

CREATE TABLE versions (
    id uuid PRIMARY KEY,
    scene uuid NOT NULL REFERENCES scenes (id) ON DELETE CASCADE,
    name text NOT NULL,
    revision bigint NOT NULL,
    document json NOT NULL,
    made_at timestamptz NOT NULL DEFAULT now(),
    deleted_at timestamptz
);

CREATE INDEX versions_of_scene ON versions (scene, made_at);
