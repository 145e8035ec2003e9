-- +goose Up
-- Who changes the shop.
CREATE TABLE person (
    id         INTEGER PRIMARY KEY,
    name       TEXT NOT NULL UNIQUE,
    role       TEXT NOT NULL CHECK (role IN ('owner', 'helper')),
    passphrase TEXT NOT NULL,            -- argon2id, in the form of the PHC string format
    active     INTEGER NOT NULL DEFAULT 1,
    made_at    TEXT NOT NULL             -- RFC 3339, as all times here
) STRICT;

CREATE TABLE session (
    hash       TEXT PRIMARY KEY,         -- SHA-256 of what the browser keeps
    person     INTEGER NOT NULL REFERENCES person (id),
    expires_at TEXT NOT NULL
) STRICT;

CREATE TABLE api_key (
    id         INTEGER PRIMARY KEY,
    name       TEXT NOT NULL,
    hash       TEXT NOT NULL UNIQUE,     -- SHA-256 of the key
    made_at    TEXT NOT NULL,
    made_by    INTEGER NOT NULL,         -- person, or 0 for the demo's owner
    revoked_at TEXT NOT NULL DEFAULT ''
) STRICT;

-- Editions: the complete store file each, which never changes.
CREATE TABLE edition (
    number  INTEGER PRIMARY KEY,
    hash    TEXT NOT NULL,               -- SHA-256 of the body
    body    TEXT NOT NULL,               -- the store file in its canonical form
    note    TEXT NOT NULL,
    made_at TEXT NOT NULL,
    made_by INTEGER NOT NULL             -- person, 0 for none
) STRICT;
-- +goose StatementBegin
CREATE TRIGGER edition_unchanged BEFORE UPDATE ON edition BEGIN SELECT RAISE(ABORT, 'an edition does not change'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER edition_kept BEFORE DELETE ON edition BEGIN SELECT RAISE(ABORT, 'an edition is kept'); END;
-- +goose StatementEnd

-- Which edition went live when: the last one is live.
CREATE TABLE put_live (
    turn    INTEGER PRIMARY KEY,
    edition INTEGER NOT NULL REFERENCES edition (number),
    at      TEXT NOT NULL,
    by      INTEGER NOT NULL
) STRICT;

-- What each edit of the draft changed, one row for each revision, those that take edits back included. Two revisions
-- with the same state have the same content.
ALTER TABLE draft ADD COLUMN state INTEGER NOT NULL DEFAULT 0;
UPDATE draft SET state = revision;
DROP TABLE edit;
CREATE TABLE edit (
    revision     INTEGER PRIMARY KEY,    -- of the draft after it
    -- turn: takes another back, or makes it again
    state        TEXT NOT NULL CHECK (state IN ('edit', 'undone', 'gone', 'turn')),
    what         TEXT NOT NULL,          -- in the owner's words
    keys         TEXT NOT NULL,          -- what it changed, JSON; * stands for more than are kept
    changes      TEXT NOT NULL,          -- entries before and after, JSON
    state_before INTEGER NOT NULL,
    state_after  INTEGER NOT NULL,
    made_at      TEXT NOT NULL,
    made_by      INTEGER NOT NULL        -- person, 0 for none
) STRICT;

-- +goose Down
DROP TABLE edit;
ALTER TABLE draft DROP COLUMN state;
CREATE TABLE edit (
    revision INTEGER PRIMARY KEY, state TEXT NOT NULL CHECK (state IN ('edit', 'undone', 'gone')),
    what TEXT NOT NULL, changes TEXT NOT NULL) STRICT;
DROP TABLE put_live;
DROP TABLE edition;
DROP TABLE api_key;
DROP TABLE session;
DROP TABLE person;
