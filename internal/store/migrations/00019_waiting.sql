-- +goose Up

-- What no acceptance has pinned is counted on every page of reviews.
CREATE INDEX waiting ON readings (pinned, review);
CREATE INDEX waiting ON review_entries (pinned, review);
-- The cases of troubles are looked up among all findings.
ALTER TABLE review_entries ADD COLUMN trouble VARCHAR(64) NOT NULL DEFAULT '' COMMENT 'of a finding: the key of its trouble';
UPDATE review_entries SET trouble = JSON_VALUE(document, '$.trouble') WHERE JSON_EXISTS(document, '$.trouble');
CREATE INDEX trouble ON review_entries (trouble, review);
-- What happened to checklists and reviews is looked up among all that ever changed.
CREATE INDEX happened ON changes (sort, action);

-- +goose Down
DROP INDEX waiting ON readings;
DROP INDEX waiting ON review_entries;
DROP INDEX happened ON changes;
DROP INDEX trouble ON review_entries;
ALTER TABLE review_entries DROP COLUMN trouble;
