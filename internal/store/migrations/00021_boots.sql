-- +goose Up

-- Runs of one start of the machine are not independent. Readings of before do not say in which they were made.
ALTER TABLE readings ADD COLUMN boots TEXT NOT NULL DEFAULT '' COMMENT 'the starts of the machine that the runs were made in, ID:RUNS each';

-- +goose Down
ALTER TABLE readings DROP COLUMN boots;
