-- Scenes with their current document, every edit that led to it, and the files that scenes refer to.
CREATE TABLE scenes (
    id uuid PRIMARY KEY,
    name text NOT NULL,
    document json NOT NULL,
    revision bigint NOT NULL DEFAULT 0,
    -- File name of the demo scene that this one was loaded from, so that it is loaded once.
    demo text UNIQUE,
    created_at timestamptz NOT NULL DEFAULT now(),
    changed_at timestamptz NOT NULL DEFAULT now(),
    deleted_at timestamptz
);

CREATE TABLE edits (
    scene uuid NOT NULL REFERENCES scenes (id) ON DELETE CASCADE,
    revision bigint NOT NULL,
    client text NOT NULL,
    sequence bigint NOT NULL,
    kind text NOT NULL CHECK (kind IN ('edit', 'undo', 'redo')),
    label text NOT NULL,
    ops json NOT NULL,
    inverse json NOT NULL,
    -- What stood at each address of the inverse afterwards: undo is refused where that has changed.
    after json NOT NULL,
    -- The revision that took this one back, if any.
    undone_by bigint,
    at timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (scene, revision),
    UNIQUE (scene, client, sequence)
);

CREATE TABLE assets (
    hash text PRIMARY KEY,
    media text NOT NULL,
    content text NOT NULL
);
