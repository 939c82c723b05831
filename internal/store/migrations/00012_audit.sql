-- +goose Up
-- Who did what, from where and by what way in. Each entry carries a hash over itself and the one before, so that none
-- can be altered, left out or put in unseen.
CREATE TABLE audit (
  number    BIGINT NOT NULL PRIMARY KEY,
  at        DATETIME(6) NOT NULL,
  person    UUID NULL COMMENT 'null: nobody who is known, or the service itself',
  way       ENUM('console', 'client', 'api', 'command', 'service') NOT NULL,
  action    VARCHAR(64) NOT NULL,
  sort      VARCHAR(32) NOT NULL,
  subject   VARCHAR(255) NOT NULL COMMENT 'of a person: the id',
  private   LONGTEXT NULL COMMENT 'what can be erased: address, request, detail, fields; null: erased',
  salt      BINARY(16) NULL COMMENT 'null: erased',
  committed BINARY(32) NOT NULL COMMENT 'SHA-256 of salt and private',
  hash      BINARY(32) NOT NULL,
  INDEX (person, number),
  INDEX (sort, subject, number),
  INDEX (at)
);

CREATE TABLE audit_head (
  id     TINYINT NOT NULL PRIMARY KEY DEFAULT 1 CHECK (id = 1),
  number BIGINT NOT NULL COMMENT 'of the newest entry',
  hash   BINARY(32) NOT NULL COMMENT 'of the newest entry',
  first  BIGINT NOT NULL COMMENT 'the number before the oldest entry that is kept',
  before_first BINARY(32) NOT NULL COMMENT 'its hash'
);
INSERT INTO audit_head (number, hash, first, before_first) VALUES (0, REPEAT('\0', 32), 0, REPEAT('\0', 32));

-- +goose Down
DROP TABLE audit_head, audit;
