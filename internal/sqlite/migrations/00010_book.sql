-- +goose Up
-- Known places and customers, beside the store file: nothing of them is exported with it.
CREATE TABLE book (
    id         INTEGER PRIMARY KEY,
    key        TEXT NOT NULL UNIQUE,     -- the name without case and accents
    name       TEXT NOT NULL,
    customer   TEXT NOT NULL,
    cust_group TEXT NOT NULL,
    street     TEXT NOT NULL,
    postcode   TEXT NOT NULL,
    city       TEXT NOT NULL,
    region     TEXT NOT NULL,            -- ISO 3166-2, or ''
    country    TEXT NOT NULL             -- alpha-2
) STRICT;

-- +goose Down
DROP TABLE book;
