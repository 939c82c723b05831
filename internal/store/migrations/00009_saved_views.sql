-- +goose Up
-- Addresses of pages that somebody wants to come back to.
CREATE TABLE saved_views (
  id      UUID NOT NULL PRIMARY KEY,
  person  UUID NOT NULL,
  title   VARCHAR(120) NOT NULL,
  address VARCHAR(2000) NOT NULL,
  created DATETIME(6) NOT NULL,
  UNIQUE KEY (person, title),
  FOREIGN KEY (person) REFERENCES people (id)
);

-- +goose Down
DROP TABLE saved_views;
