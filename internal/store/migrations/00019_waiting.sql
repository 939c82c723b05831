-- +goose Up

-- What no acceptance has pinned is counted on every page of reviews.
CREATE INDEX waiting ON readings (pinned, review);
CREATE INDEX waiting ON review_entries (pinned, review);
-- What happened to checklists and reviews is looked up among all that ever changed.
CREATE INDEX happened ON changes (sort, action);

-- +goose Down
DROP INDEX waiting ON readings;
DROP INDEX waiting ON review_entries;
DROP INDEX happened ON changes;
