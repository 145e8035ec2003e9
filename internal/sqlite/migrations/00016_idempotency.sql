-- +goose Up
-- What was answered to a request of a key under an Idempotency-Key, for a day.
CREATE TABLE answered (
    key    INTEGER NOT NULL,             -- of the API; below 0 for people
    name   TEXT NOT NULL,
    hash   TEXT NOT NULL,                -- SHA-256 of the request
    status INTEGER NOT NULL,
    etag   TEXT NOT NULL,
    body   TEXT NOT NULL,
    at     TEXT NOT NULL,
    PRIMARY KEY (key, name)
) STRICT;

-- +goose Down
DROP TABLE answered;
