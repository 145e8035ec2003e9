-- +goose Up
-- What must stay true of quotes, and what became of it.
CREATE TABLE promise (
    position  INTEGER PRIMARY KEY,
    id        TEXT NOT NULL UNIQUE,
    body      TEXT NOT NULL,             -- the promise, JSON
    was       TEXT NOT NULL,             -- what it was when it held last
    broken_by TEXT NOT NULL DEFAULT ''   -- the edit since which it does not hold
) STRICT;

-- +goose Down
DROP TABLE promise;
