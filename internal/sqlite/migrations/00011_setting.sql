-- +goose Up
-- Settings of the program for this shop, beside the store file: services outside and where map tiles come from.
CREATE TABLE setting (
    name  TEXT PRIMARY KEY,
    value TEXT NOT NULL
) STRICT;

-- +goose Down
DROP TABLE setting;
