-- Files that were ordered. A queue hands out tickets for them; what counts of a job stands here alone.
CREATE TABLE jobs (
    id uuid PRIMARY KEY,
    scene uuid NOT NULL,
    -- Name of the scene when it was ordered, and of the file.
    scene_name text NOT NULL,
    file text NOT NULL,
    -- A digest of the browser, or what else ordered it.
    asked_by text NOT NULL,
    asked_at timestamptz NOT NULL DEFAULT now(),
    wanted json NOT NULL,
    -- The scene as it was then; gone once the file is there.
    document json,
    -- The one that counts; others are of before it was ordered again.
    ticket uuid NOT NULL,
    state text NOT NULL DEFAULT 'waiting' CHECK (state IN ('waiting', 'running', 'done', 'failed', 'stopped')),
    -- Grows whenever somebody begins with it: who began before has lost it.
    turn integer NOT NULL DEFAULT 0,
    -- How often a worker was gone while it was at it.
    lost integer NOT NULL DEFAULT 0,
    worker text,
    doing text,
    reached double precision NOT NULL DEFAULT 0,
    begun_at timestamptz,
    ended_at timestamptz,
    failure text,
    -- Where the file lies; nothing once it is thrown away.
    result text,
    bytes bigint,
    report json
);
ALTER TABLE jobs ALTER COLUMN document SET COMPRESSION lz4;
CREATE INDEX jobs_asked_at ON jobs (asked_at DESC);
