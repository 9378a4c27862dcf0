-- A scene's document is written down now and then, as it is at a revision; the edits after that lead to the scene.
ALTER TABLE scenes
    ADD COLUMN written bigint NOT NULL DEFAULT 0,
    -- What is listed of a scene, as it stands in its document.
    ADD COLUMN frames text,
    ADD COLUMN fps text,
    ADD COLUMN space text,
    -- Quick rather than small: it is written while its pages wait.
    ALTER COLUMN document SET COMPRESSION lz4;
UPDATE scenes SET written = revision, frames = document->>'frames', fps = document->>'fps', space = document->>'space';
