-- +goose Up
ALTER TABLE checklists ADD COLUMN show_share DOUBLE NULL COMMENT 'the newest version in force is shown once this share of the ranked editions stands on it; null: when a lead says so';

-- +goose Down
ALTER TABLE checklists DROP COLUMN show_share;
