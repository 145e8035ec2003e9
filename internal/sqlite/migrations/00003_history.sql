-- +goose Up
-- What each edit of the draft changed, so that it can be taken back and done again.
CREATE TABLE edit (
    revision INTEGER PRIMARY KEY,        -- of the draft after it
    state    TEXT NOT NULL CHECK (state IN ('edit', 'undone', 'gone')),
    what     TEXT NOT NULL,              -- in the owner's words
    changes  TEXT NOT NULL               -- entries before and after, JSON
) STRICT;

-- +goose Down
DROP TABLE edit;
