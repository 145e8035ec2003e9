-- +goose Up
-- Warnings about the store that somebody said are meant, as long as what they rest on stays the same.
CREATE TABLE meant (
    warning TEXT PRIMARY KEY,             -- its key: code and thing
    facts   TEXT NOT NULL,                -- SHA-256 of what it rested on
    note    TEXT NOT NULL DEFAULT '',
    by      INTEGER NOT NULL DEFAULT 0,   -- person
    at      TEXT NOT NULL
) STRICT;

-- +goose Down
DROP TABLE meant;
