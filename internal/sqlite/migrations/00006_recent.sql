-- +goose Up
-- Where the Till was sent last.
CREATE TABLE recent_destination (
    line TEXT PRIMARY KEY,               -- as typed in the Till
    used INTEGER NOT NULL                -- counts up: the highest is the last
) STRICT;

-- +goose Down
DROP TABLE recent_destination;
