-- +goose Up
-- Editions that go live at a set time and may give way again at another.
CREATE TABLE scheduled (
    id         INTEGER PRIMARY KEY,
    edition    INTEGER NOT NULL REFERENCES edition (number),
    at         TEXT NOT NULL,
    until      TEXT NOT NULL DEFAULT '',  -- '' where it stays
    former     INTEGER NOT NULL DEFAULT 0, -- the edition that was live before it, once it is live
    state      TEXT NOT NULL CHECK (state IN ('waiting', 'live', 'done', 'replaced', 'missed', 'called off')),
    made_by    INTEGER NOT NULL,
    changed_at TEXT NOT NULL             -- when it came to be in that state
) STRICT;

-- +goose Down
DROP TABLE scheduled;
