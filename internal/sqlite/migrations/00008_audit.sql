-- +goose Up
-- What happened to the shop's locks: who signed in, who was refused, what keys were made. Rows are only ever added.
CREATE TABLE audit (
    id      INTEGER PRIMARY KEY,
    at      TEXT NOT NULL,
    event   TEXT NOT NULL,
    person  INTEGER NOT NULL,            -- 0 for nobody, or the demo's owner
    name    TEXT NOT NULL,               -- of the person as they were called then, or as it was typed
    address TEXT NOT NULL,               -- from where
    detail  TEXT NOT NULL
) STRICT;
-- +goose StatementBegin
CREATE TRIGGER audit_unchanged BEFORE UPDATE ON audit BEGIN SELECT RAISE(ABORT, 'what happened does not change'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER audit_kept BEFORE DELETE ON audit BEGIN SELECT RAISE(ABORT, 'what happened is kept'); END;
-- +goose StatementEnd

-- From where people have signed in: there they may, even while others try their names.
CREATE TABLE known_origin (
    person INTEGER NOT NULL REFERENCES person (id),
    origin TEXT NOT NULL,                -- SHA-256 of the address, of IPv6 of its /64
    at     TEXT NOT NULL,
    PRIMARY KEY (person, origin)
) STRICT;

-- CRC-32C of what stands beside it, so that a bit that flips on the disk is found; '' where it was written before.
ALTER TABLE item ADD COLUMN sum TEXT NOT NULL DEFAULT '';
ALTER TABLE draft ADD COLUMN sum TEXT NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE draft DROP COLUMN sum;
ALTER TABLE item DROP COLUMN sum;
DROP TABLE known_origin;
DROP TABLE audit;
