-- +goose Up
-- Keys that may be published, what others may do, from which sites they are sent, until when they hold and when they
-- were used last. Lists are separated by spaces.
ALTER TABLE api_key ADD COLUMN publishable INTEGER NOT NULL DEFAULT 0;
ALTER TABLE api_key ADD COLUMN rights TEXT NOT NULL DEFAULT '';
ALTER TABLE api_key ADD COLUMN origins TEXT NOT NULL DEFAULT '';
ALTER TABLE api_key ADD COLUMN expires_at TEXT NOT NULL DEFAULT '';
ALTER TABLE api_key ADD COLUMN used_at TEXT NOT NULL DEFAULT '';
UPDATE api_key SET rights = 'costs' WHERE costs = 1;
ALTER TABLE api_key DROP COLUMN costs;

-- The keys that held quotes are signed with. The private part is sealed; made_at is in RFC 3339, and so is retired_at,
-- which is empty as long as the key signs.
CREATE TABLE signing_key (
    id         TEXT PRIMARY KEY,
    public     TEXT NOT NULL,
    sealed     TEXT NOT NULL,
    made_at    TEXT NOT NULL,
    retired_at TEXT NOT NULL DEFAULT ''
) STRICT;

-- +goose Down
DROP TABLE signing_key;
ALTER TABLE api_key ADD COLUMN costs INTEGER NOT NULL DEFAULT 0;
UPDATE api_key SET costs = 1 WHERE ' ' || rights || ' ' LIKE '% costs %';
ALTER TABLE api_key DROP COLUMN used_at;
ALTER TABLE api_key DROP COLUMN expires_at;
ALTER TABLE api_key DROP COLUMN origins;
ALTER TABLE api_key DROP COLUMN rights;
ALTER TABLE api_key DROP COLUMN publishable;
