-- +goose Up
-- Readings that their reviewers took back soon after recording them. They count nowhere
-- and are kept for the review's history.
CREATE TABLE taken_back (
  review   UUID NOT NULL,
  id       UUID NOT NULL,
  person   UUID NOT NULL,
  at       DATETIME(6) NOT NULL,
  document LONGTEXT NOT NULL COMMENT 'the reading' CHECK (JSON_VALID(document)),
  PRIMARY KEY (review, id),
  FOREIGN KEY (review) REFERENCES reviews (id),
  FOREIGN KEY (person) REFERENCES people (id)
);

ALTER TABLE review_entries ADD COLUMN restores INT UNSIGNED NULL COMMENT 'the revision whose words stand here again, since later ones were taken back';

-- +goose Down
ALTER TABLE review_entries DROP COLUMN restores;
DROP TABLE taken_back;
