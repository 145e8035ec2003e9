-- +goose Up
-- Who buys what lies in the Till.
ALTER TABLE till ADD COLUMN coupons  TEXT NOT NULL DEFAULT ''; -- as typed, parted by commas
ALTER TABLE till ADD COLUMN customer TEXT NOT NULL DEFAULT '';
ALTER TABLE till ADD COLUMN customer_group TEXT NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE till DROP COLUMN customer_group;
ALTER TABLE till DROP COLUMN customer;
ALTER TABLE till DROP COLUMN coupons;
