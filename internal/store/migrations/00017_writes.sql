-- +goose Up

-- One row for each write, made in its own transaction: what is asked for once more is found here, and so is a write
-- whose commit was not answered. Rows go after a week.
CREATE TABLE writes (
  id      BINARY(32)   NOT NULL PRIMARY KEY,
  request BINARY(32)   NULL,
  number  BIGINT       NOT NULL,
  sort    VARCHAR(16)  NOT NULL,
  subject VARCHAR(255) NOT NULL,
  at      DATETIME(6)  NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
  status  SMALLINT     NOT NULL DEFAULT 0,
  answer  MEDIUMBLOB   NULL,
  KEY by_time (at)
);

-- +goose Down
DROP TABLE writes;
