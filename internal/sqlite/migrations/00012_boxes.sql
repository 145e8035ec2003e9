-- +goose Up
-- Store files have more lists by now (boxes), and will have others: which ones is known to package store alone.
CREATE TABLE item_of_any_list (
    draft    INTEGER NOT NULL DEFAULT 1 REFERENCES draft (id),
    list     TEXT NOT NULL CHECK (list <> ''),
    id       TEXT NOT NULL,              -- id, or sku of a product
    position INTEGER NOT NULL,
    body     TEXT NOT NULL,              -- the entry, JSON
    sum      TEXT NOT NULL DEFAULT '',   -- CRC-32C of the body
    PRIMARY KEY (list, id)
) STRICT;
INSERT INTO item_of_any_list (draft, list, id, position, body, sum)
    SELECT draft, list, id, position, body, sum FROM item;
DROP TABLE item;
ALTER TABLE item_of_any_list RENAME TO item;
CREATE INDEX item_order ON item (list, position);

-- +goose Down
CREATE TABLE item_before (
    draft    INTEGER NOT NULL DEFAULT 1 REFERENCES draft (id),
    list     TEXT NOT NULL CHECK (list IN
        ('locations', 'classes', 'products', 'zones', 'methods', 'surcharges', 'agreed')),
    id       TEXT NOT NULL,
    position INTEGER NOT NULL,
    body     TEXT NOT NULL,
    sum      TEXT NOT NULL DEFAULT '',
    PRIMARY KEY (list, id)
) STRICT;
INSERT INTO item_before (draft, list, id, position, body, sum)
    SELECT draft, list, id, position, body, sum FROM item
    WHERE list IN ('locations', 'classes', 'products', 'zones', 'methods', 'surcharges', 'agreed');
DROP TABLE item;
ALTER TABLE item_before RENAME TO item;
CREATE INDEX item_order ON item (list, position);
