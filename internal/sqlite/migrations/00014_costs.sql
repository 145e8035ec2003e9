-- +goose Up
-- Whether who holds a key may ask what sending costs the shop.
ALTER TABLE api_key ADD COLUMN costs INTEGER NOT NULL DEFAULT 0;

-- +goose Down
ALTER TABLE api_key DROP COLUMN costs;
