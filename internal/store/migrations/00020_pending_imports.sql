-- +goose Up

-- Imports that write their rows in several transactions and are not finished. What carries the id of one is nobody's
-- to see; the last transaction of an import removes its row here, and all that it brought is there at once.
CREATE TABLE pending_imports (
  id        BIGINT      NOT NULL PRIMARY KEY,
  alive     DATETIME(6) NOT NULL COMMENT 'when it last wrote, by the clock of the database',
  abandoned BOOLEAN     NOT NULL DEFAULT FALSE COMMENT 'what it wrote is being removed',
  reviews   LONGTEXT    NOT NULL COMMENT 'the ids of all that it writes into' CHECK (JSON_VALID(reviews))
);

ALTER TABLE readings ADD COLUMN import_id BIGINT NOT NULL DEFAULT 0 COMMENT 'the import that it came with in several transactions';
ALTER TABLE review_entries ADD COLUMN import_id BIGINT NOT NULL DEFAULT 0 COMMENT 'the same';

-- What no acceptance has pinned is counted by these indexes alone.
DROP INDEX waiting ON readings;
CREATE INDEX waiting ON readings (pinned, review, import_id);
DROP INDEX waiting ON review_entries;
CREATE INDEX waiting ON review_entries (pinned, review, import_id);

-- +goose Down
DROP INDEX waiting ON review_entries;
CREATE INDEX waiting ON review_entries (pinned, review);
DROP INDEX waiting ON readings;
CREATE INDEX waiting ON readings (pinned, review);
ALTER TABLE review_entries DROP COLUMN import_id;
ALTER TABLE readings DROP COLUMN import_id;
DROP TABLE pending_imports;
