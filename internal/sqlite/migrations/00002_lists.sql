-- +goose Up
-- Lists of places in the GeoNames postal layout, each taken in from a file. A list that is still being taken in says
-- how far it has come, so that it goes on from there after the process was killed.
CREATE TABLE place_list (
    id        INTEGER PRIMARY KEY,
    name      TEXT NOT NULL,                -- of the file
    bytes     INTEGER NOT NULL,             -- of the file
    state     TEXT NOT NULL CHECK (state IN ('waiting', 'done', 'failed')),
    taken     INTEGER NOT NULL DEFAULT 0,   -- bytes of the file that are in place, or skipped
    lines     INTEGER NOT NULL DEFAULT 0,   -- lines of the file that are in place, or skipped
    skipped   INTEGER NOT NULL DEFAULT 0,   -- lines that are not in place
    recoded   INTEGER NOT NULL DEFAULT 0,   -- lines that were read as Windows-1252
    unusual   INTEGER NOT NULL DEFAULT 0,   -- postcodes that their country does not write so
    countries TEXT NOT NULL DEFAULT '{}',   -- places by country, JSON; when it is done
    problem   TEXT NOT NULL DEFAULT ''      -- why it failed
) STRICT;

CREATE TABLE place_skipped (
    list   INTEGER NOT NULL,
    line   INTEGER NOT NULL,                -- from 1
    reason TEXT NOT NULL
) STRICT;

-- Read as a whole when the shop is opened, and never looked up here: no index.
CREATE TABLE place (
    list         INTEGER NOT NULL,
    country      TEXT NOT NULL,             -- alpha-2
    postcode     TEXT NOT NULL,             -- as listed
    name         TEXT NOT NULL,
    region       TEXT NOT NULL,             -- ISO 3166-2, or empty
    region_name  TEXT NOT NULL,             -- as listed
    municipality TEXT NOT NULL,
    lat          REAL,                      -- degrees; NULL where the list has none
    lon          REAL
) STRICT;

-- Files that were sent and are looked at before they change the draft.
CREATE TABLE upload (
    id   INTEGER PRIMARY KEY,
    kind TEXT NOT NULL,                     -- what it is a list of
    name TEXT NOT NULL,
    body BLOB NOT NULL
) STRICT;

-- +goose Down
DROP TABLE upload;
DROP TABLE place;
DROP TABLE place_skipped;
DROP TABLE place_list;
