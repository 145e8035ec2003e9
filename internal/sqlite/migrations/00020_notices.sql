-- +goose Up
-- What programs are told of: they ask for it, or it is sent to their webhooks.
CREATE TABLE notice (
    id   INTEGER PRIMARY KEY AUTOINCREMENT, -- never given twice
    uid  TEXT NOT NULL UNIQUE,              -- the same for whoever is told of it again
    type TEXT NOT NULL,
    at   TEXT NOT NULL,                     -- RFC 3339, as all times here
    data TEXT NOT NULL,                     -- a JSON object
    once TEXT UNIQUE                        -- what is told once only; NULL for what may be told again
) STRICT;

-- Up to which publication and which edit of the draft programs were told of what changed.
CREATE TABLE noticed (
    id       INTEGER PRIMARY KEY CHECK (id = 1),
    turn     INTEGER NOT NULL,              -- -1 since a backup was restored
    revision INTEGER NOT NULL
) STRICT;
INSERT INTO noticed SELECT 1, coalesce((SELECT max(turn) FROM put_live), 0), coalesce((SELECT revision FROM draft), 0);

CREATE TABLE webhook (
    id           INTEGER PRIMARY KEY AUTOINCREMENT,
    url          TEXT NOT NULL,
    types        TEXT NOT NULL,             -- separated by spaces
    secret       TEXT NOT NULL,             -- sealed
    former       TEXT NOT NULL DEFAULT '',  -- the secret before it, sealed, which signs as well for a while
    former_until TEXT NOT NULL DEFAULT '',
    paused       TEXT NOT NULL DEFAULT '',  -- why nothing is sent; '' where it is
    made_at      TEXT NOT NULL,
    made_by      INTEGER NOT NULL
) STRICT;

CREATE TABLE delivery (
    id       INTEGER PRIMARY KEY AUTOINCREMENT,
    webhook  INTEGER NOT NULL REFERENCES webhook (id) ON DELETE CASCADE,
    uid      TEXT NOT NULL,                 -- of the notice
    type     TEXT NOT NULL,
    at       TEXT NOT NULL,                 -- of the notice
    data     TEXT NOT NULL,
    state    TEXT NOT NULL DEFAULT 'waiting' CHECK (state IN ('waiting', 'delivered', 'given up')),
    attempts INTEGER NOT NULL DEFAULT 0,
    due      INTEGER NOT NULL,              -- when it is tried next, in milliseconds since 1970
    tried_at TEXT NOT NULL DEFAULT '',
    said     TEXT NOT NULL DEFAULT ''       -- what the receiver answered, or why it did not
) STRICT;
CREATE INDEX delivery_due ON delivery (due) WHERE state = 'waiting';
CREATE INDEX delivery_webhook ON delivery (webhook);

-- +goose Down
DROP TABLE delivery;
DROP TABLE webhook;
DROP TABLE noticed;
DROP TABLE notice;
