-- +goose Up
CREATE TABLE acceptances (
  review   UUID NOT NULL,
  accepted DATETIME(6) NOT NULL COMMENT 'what was received by then was pinned',
  PRIMARY KEY (review, accepted),
  FOREIGN KEY (review) REFERENCES reviews (id)
);
INSERT INTO acceptances (review, accepted) SELECT id, accepted FROM reviews WHERE accepted IS NOT NULL;
INSERT IGNORE INTO acceptances (review, accepted)
SELECT r.id, c.at FROM changes c JOIN reviews r ON CAST(r.id AS CHAR) COLLATE utf8mb4_nopad_bin = c.subject WHERE c.sort = 'review' AND c.action = 'accepted';

-- +goose Down
DROP TABLE acceptances;
