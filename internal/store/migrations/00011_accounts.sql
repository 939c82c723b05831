-- +goose Up
ALTER TABLE people
  ADD COLUMN revision INT UNSIGNED NOT NULL DEFAULT 1,
  ADD COLUMN disabled DATETIME(6) NULL COMMENT 'since when they may not sign in; null: they may';

ALTER TABLE sessions
  ADD COLUMN id      UUID NULL,
  ADD COLUMN created DATETIME(6) NULL,
  ADD COLUMN proved  DATETIME(6) NULL COMMENT 'when they last showed who they are',
  ADD COLUMN used    DATETIME(6) NULL,
  ADD COLUMN address VARCHAR(64) NOT NULL DEFAULT '' COMMENT 'where it was used from last',
  ADD COLUMN program VARCHAR(200) NOT NULL DEFAULT '' COMMENT 'what it was used with last';
UPDATE sessions SET id = UUID(), created = expires - INTERVAL 12 HOUR, proved = expires - INTERVAL 12 HOUR,
  used = expires - INTERVAL 12 HOUR;
ALTER TABLE sessions
  MODIFY COLUMN id UUID NOT NULL, MODIFY COLUMN created DATETIME(6) NOT NULL, MODIFY COLUMN proved DATETIME(6) NOT NULL,
  MODIFY COLUMN used DATETIME(6) NOT NULL, ADD UNIQUE KEY IF NOT EXISTS id (id);

ALTER TABLE tokens
  ADD COLUMN used    DATETIME(6) NULL,
  ADD COLUMN address VARCHAR(64) NOT NULL DEFAULT '' COMMENT 'where it was used from last';

-- Links by which somebody chooses a password, once.
CREATE TABLE links (
  token   BINARY(32) NOT NULL PRIMARY KEY COMMENT 'SHA-256 of the secret',
  person  UUID NOT NULL UNIQUE COMMENT 'a newer link ends the one before',
  expires DATETIME(6) NOT NULL,
  FOREIGN KEY (person) REFERENCES people (id) ON DELETE CASCADE
);

-- Attempts to sign in that failed. Names are hashed: people type passwords into the wrong field.
CREATE TABLE sign_in_failures (
  name    BINARY(32) NOT NULL COMMENT 'SHA-256 of the name',
  network VARCHAR(64) NOT NULL,
  tries   INT UNSIGNED NOT NULL,
  last    DATETIME(6) NOT NULL,
  PRIMARY KEY (name, network),
  INDEX (last)
);

-- +goose Down
DROP TABLE sign_in_failures, links;
ALTER TABLE tokens DROP COLUMN used, DROP COLUMN address;
ALTER TABLE sessions DROP COLUMN id, DROP COLUMN created, DROP COLUMN proved, DROP COLUMN used, DROP COLUMN address,
  DROP COLUMN program;
ALTER TABLE people DROP COLUMN revision, DROP COLUMN disabled;
