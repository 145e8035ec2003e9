-- +goose Up
-- Headers of an answer that is given again: a JSON object of texts, '' for none but the entity tag.
ALTER TABLE answered ADD COLUMN headers TEXT NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE answered DROP COLUMN headers;
