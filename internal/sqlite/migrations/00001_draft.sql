-- +goose Up
-- The draft is the store file taken apart: its settings, and an item for each entry of each list, in the file's order.
CREATE TABLE draft (
    id       INTEGER PRIMARY KEY CHECK (id = 1),
    revision INTEGER NOT NULL,           -- counts edits; an edit that starts from another revision is refused
    settings TEXT NOT NULL               -- "store" of the store file, JSON
) STRICT;

CREATE TABLE item (
    draft    INTEGER NOT NULL DEFAULT 1 REFERENCES draft (id),
    list     TEXT NOT NULL
             CHECK (list IN ('locations', 'classes', 'products', 'zones', 'methods', 'surcharges', 'agreed')),
    id       TEXT NOT NULL,              -- id, or sku of a product
    position INTEGER NOT NULL,
    body     TEXT NOT NULL,              -- the entry, JSON
    PRIMARY KEY (list, id)
) STRICT;
CREATE INDEX item_order ON item (list, position);

-- The Till's cart and destination, and the carts and destinations to choose from: neighbours of the store file.
CREATE TABLE till (
    id          INTEGER PRIMARY KEY CHECK (id = 1),
    cart        TEXT NOT NULL,           -- lines of a request, JSON
    destination TEXT NOT NULL            -- as typed
) STRICT;

CREATE TABLE sample_cart (
    id       TEXT PRIMARY KEY,
    name     TEXT NOT NULL,
    position INTEGER NOT NULL,
    cart     TEXT NOT NULL
) STRICT;

CREATE TABLE destination (
    line     TEXT PRIMARY KEY,           -- as typed in the Till
    position INTEGER NOT NULL
) STRICT;

-- +goose Down
DROP TABLE destination;
DROP TABLE sample_cart;
DROP TABLE till;
DROP TABLE item;
DROP TABLE draft;
