-- +goose Up
ALTER TABLE people
  ADD COLUMN mail        VARCHAR(254) NOT NULL DEFAULT '' COMMENT 'where notices go; empty: nowhere',
  ADD COLUMN mailing     ENUM('off', 'at-once', 'daily') NOT NULL DEFAULT 'off',
  ADD COLUMN mailed      DATETIME(6) NULL COMMENT 'when notices were mailed last',
  ADD COLUMN unsubscribe CHAR(26) NULL UNIQUE COMMENT 'what ends the mails without signing in; it can do nothing else';

-- Somebody is named with an @ in what another wrote.
CREATE TABLE mentions (
  id      UUID NOT NULL PRIMARY KEY,
  person  UUID NOT NULL,
  writer  UUID NULL,
  at      DATETIME(6) NOT NULL,
  sort    ENUM('review', 'proposal') NOT NULL,
  subject UUID NOT NULL,
  source  VARCHAR(120) NOT NULL COMMENT 'the text that names them',
  excerpt VARCHAR(400) NOT NULL,
  seen    BOOLEAN NOT NULL DEFAULT FALSE,
  UNIQUE KEY (person, source),
  INDEX (person, seen),
  FOREIGN KEY (person) REFERENCES people (id)
);

-- Notices that a person has put away, and those that were mailed.
CREATE TABLE notices_seen (
  person UUID NOT NULL,
  notice VARCHAR(200) NOT NULL,
  seen   BOOLEAN NOT NULL DEFAULT FALSE,
  mailed BOOLEAN NOT NULL DEFAULT FALSE,
  at     DATETIME(6) NOT NULL,
  PRIMARY KEY (person, notice),
  FOREIGN KEY (person) REFERENCES people (id)
);

-- How far the change log has been read for mentions and web hooks.
CREATE TABLE notices_read (id TINYINT NOT NULL PRIMARY KEY DEFAULT 1 CHECK (id = 1), number BIGINT NOT NULL);
INSERT INTO notices_read (number) SELECT COALESCE(MAX(number), 0) FROM changes;

CREATE INDEX changes_subject ON changes (sort, subject, number);

CREATE TABLE hooks (
  id      UUID NOT NULL PRIMARY KEY,
  url     VARCHAR(2000) NOT NULL,
  secret  VARCHAR(100) NOT NULL,
  sorts   VARCHAR(400) NOT NULL COMMENT 'of changes that it is told, by comma; empty: all',
  active  BOOLEAN NOT NULL DEFAULT TRUE,
  created DATETIME(6) NOT NULL
);

CREATE TABLE deliveries (
  id       UUID NOT NULL PRIMARY KEY,
  hook     UUID NOT NULL,
  number   BIGINT NOT NULL COMMENT 'of the change',
  event    LONGTEXT NOT NULL CHECK (JSON_VALID(event)),
  created  DATETIME(6) NOT NULL,
  tries    INT UNSIGNED NOT NULL DEFAULT 0,
  due      DATETIME(6) NULL COMMENT 'when it is tried next; null: no more',
  status   SMALLINT NOT NULL DEFAULT 0 COMMENT 'of the last answer; 0: none',
  said     VARCHAR(500) NOT NULL DEFAULT '' COMMENT 'what went wrong the last time',
  finished DATETIME(6) NULL COMMENT 'when it arrived',
  INDEX (due),
  INDEX (hook, created),
  FOREIGN KEY (hook) REFERENCES hooks (id) ON DELETE CASCADE
);

-- +goose Down
DROP INDEX changes_subject ON changes;
DROP TABLE deliveries, hooks, notices_read, notices_seen, mentions;
ALTER TABLE people DROP COLUMN mail, DROP COLUMN mailing, DROP COLUMN mailed, DROP COLUMN unsubscribe;
