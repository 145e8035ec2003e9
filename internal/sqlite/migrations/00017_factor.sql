-- +goose Up
-- Where a session was begun, and when it was used last. half: the passphrase was right, and the code is still asked for.
ALTER TABLE session ADD COLUMN half INTEGER NOT NULL DEFAULT 0;
ALTER TABLE session ADD COLUMN made_at TEXT NOT NULL DEFAULT '';
ALTER TABLE session ADD COLUMN seen_at TEXT NOT NULL DEFAULT '';
ALTER TABLE session ADD COLUMN address TEXT NOT NULL DEFAULT '';
ALTER TABLE session ADD COLUMN browser TEXT NOT NULL DEFAULT '';

-- The second factor of a person: a sealed secret (RFC 6238), which counts once a code of it was typed, and the last time
-- step of which a code was taken.
CREATE TABLE factor (
    person    INTEGER PRIMARY KEY REFERENCES person (id),
    sealed    TEXT NOT NULL,
    confirmed INTEGER NOT NULL DEFAULT 0,
    last_step INTEGER NOT NULL DEFAULT 0,
    made_at   TEXT NOT NULL
) STRICT;

-- Codes that stand in for it, each once: SHA-256.
CREATE TABLE recovery (
    person INTEGER NOT NULL REFERENCES person (id),
    hash   TEXT NOT NULL,
    PRIMARY KEY (person, hash)
) STRICT;

-- +goose Down
DROP TABLE recovery;
DROP TABLE factor;
DELETE FROM session WHERE half = 1;
ALTER TABLE session DROP COLUMN browser;
ALTER TABLE session DROP COLUMN address;
ALTER TABLE session DROP COLUMN seen_at;
ALTER TABLE session DROP COLUMN made_at;
ALTER TABLE session DROP COLUMN half;
