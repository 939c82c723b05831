-- +goose Up

-- What no acceptance has pinned is counted on every page of reviews.
CREATE INDEX waiting ON readings (pinned, review);
CREATE INDEX waiting ON review_entries (pinned, review);

-- +goose Down
DROP INDEX waiting ON readings;
DROP INDEX waiting ON review_entries;
