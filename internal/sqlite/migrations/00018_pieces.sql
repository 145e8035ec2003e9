-- +goose Up
-- Editions share the pieces of their store files that are the same: pieces by the SHA-256 of their text, compressed.
CREATE TABLE piece (
    id   INTEGER PRIMARY KEY,
    sum  BLOB NOT NULL UNIQUE,           -- SHA-256 of the text
    body BLOB NOT NULL                   -- the text as a Zstandard frame
) STRICT;
-- +goose StatementBegin
CREATE TRIGGER piece_unchanged BEFORE UPDATE ON piece BEGIN SELECT RAISE(ABORT, 'a piece does not change'); END;
-- +goose StatementEnd

-- An edition is kept as a body, as before, or as pieces. One whose file its owner removed has neither.
ALTER TABLE edition ADD COLUMN pieces BLOB;                        -- the sums of its pieces, one behind the other
ALTER TABLE edition ADD COLUMN size INTEGER NOT NULL DEFAULT 0;    -- bytes of the store file; 0 where it is a body
ALTER TABLE edition ADD COLUMN removed_at TEXT NOT NULL DEFAULT ''; -- when its store file was removed
DROP TRIGGER edition_unchanged;
-- +goose StatementBegin
CREATE TRIGGER edition_unchanged BEFORE UPDATE ON edition
WHEN NOT (NEW.number = OLD.number AND NEW.hash = OLD.hash AND NEW.note = OLD.note AND NEW.made_at = OLD.made_at AND
    NEW.made_by = OLD.made_by AND OLD.removed_at = '' AND NEW.body = '' AND (
        OLD.pieces IS NULL AND NEW.pieces IS NOT NULL AND NEW.removed_at = '' OR
        NEW.pieces IS NULL AND NEW.removed_at <> '' AND NEW.size = OLD.size))
BEGIN SELECT RAISE(ABORT, 'an edition does not change'); END;
-- +goose StatementEnd

-- +goose Down
-- Editions in pieces cannot be put together here: a database that has some stays as it is.
CREATE TABLE only_bodies (pieces INTEGER CHECK (pieces = 0)) STRICT;
INSERT INTO only_bodies SELECT count(*) FROM edition WHERE pieces IS NOT NULL OR removed_at <> '';
DROP TABLE only_bodies;
DROP TRIGGER edition_unchanged;
ALTER TABLE edition DROP COLUMN removed_at;
ALTER TABLE edition DROP COLUMN size;
ALTER TABLE edition DROP COLUMN pieces;
-- +goose StatementBegin
CREATE TRIGGER edition_unchanged BEFORE UPDATE ON edition BEGIN SELECT RAISE(ABORT, 'an edition does not change'); END;
-- +goose StatementEnd
DROP TABLE piece;
