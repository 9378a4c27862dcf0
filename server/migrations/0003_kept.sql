-- When a file was kept last: what nothing refers to is thrown away some time after.
ALTER TABLE assets ADD COLUMN kept_at timestamptz NOT NULL DEFAULT now();
