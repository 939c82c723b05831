-- +goose Up

-- Measurements that are under way, as the client tells it. They are nobody's result, and are not in the change log.
CREATE TABLE measurements (
  id       UUID NOT NULL PRIMARY KEY,
  review   UUID NOT NULL,
  person   UUID NOT NULL,
  rig      VARCHAR(64) NOT NULL,
  began    DATETIME(6) NOT NULL,
  alive    DATETIME(6) NOT NULL COMMENT 'when the client was last heard of, by the clock of the database',
  progress LONGTEXT NOT NULL CHECK (JSON_VALID(progress)),
  stopper  VARCHAR(64) NOT NULL DEFAULT '' COMMENT 'who has asked for it to be stopped',
  KEY (review),
  FOREIGN KEY (review) REFERENCES reviews (id) ON DELETE CASCADE,
  FOREIGN KEY (person) REFERENCES people (id)
);

-- +goose Down
DROP TABLE measurements;
