-- +goose Up
-- Passkeys (WebAuthn) by which people sign in alone, or after their password.
CREATE TABLE passkeys (
  id         UUID NOT NULL PRIMARY KEY,
  person     UUID NOT NULL,
  credential VARBINARY(1023) NOT NULL UNIQUE COMMENT 'its id, as the authenticator made it',
  document   JSON NOT NULL COMMENT 'public key, counter and flags',
  label      VARCHAR(100) NOT NULL,
  created    DATETIME(6) NOT NULL,
  used       DATETIME(6) NULL,
  FOREIGN KEY (person) REFERENCES people (id) ON DELETE CASCADE
);

-- Signing in that is half done: the challenge that a browser answers, the second step that is waited for.
CREATE TABLE ceremonies (
  id       BINARY(32) NOT NULL PRIMARY KEY COMMENT 'SHA-256 of the secret that the browser keeps',
  kind     VARCHAR(16) NOT NULL,
  person   UUID NULL,
  document JSON NOT NULL,
  expires  DATETIME(6) NOT NULL,
  INDEX (expires),
  FOREIGN KEY (person) REFERENCES people (id) ON DELETE CASCADE
);

-- Codes that stand in for a passkey, each once.
CREATE TABLE recovery_codes (
  person UUID NOT NULL,
  code   BINARY(32) NOT NULL COMMENT 'SHA-256 of the code',
  PRIMARY KEY (person, code),
  FOREIGN KEY (person) REFERENCES people (id) ON DELETE CASCADE
);

ALTER TABLE people ADD COLUMN second BOOLEAN NOT NULL DEFAULT FALSE COMMENT 'they want a second step after the password';
ALTER TABLE sessions ADD COLUMN enrol BOOLEAN NOT NULL DEFAULT FALSE COMMENT 'it does nothing until they have a passkey';

-- +goose Down
ALTER TABLE sessions DROP COLUMN enrol;
ALTER TABLE people DROP COLUMN second;
DROP TABLE recovery_codes, ceremonies, passkeys;
