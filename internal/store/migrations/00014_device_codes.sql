-- +goose Up
-- Machines that wait to be signed in by somebody elsewhere (RFC 8628).
CREATE TABLE device_codes (
  device  BINARY(32) NOT NULL PRIMARY KEY COMMENT 'SHA-256 of the code that the machine keeps',
  code    BINARY(32) NOT NULL UNIQUE COMMENT 'SHA-256 of the code that people type',
  machine VARCHAR(100) NOT NULL DEFAULT '' COMMENT 'as it names itself',
  wished  UUID NULL COMMENT 'the review that it asks for',
  address VARCHAR(64) NOT NULL DEFAULT '',
  network VARCHAR(64) NOT NULL DEFAULT '',
  made    DATETIME(6) NOT NULL,
  expires DATETIME(6) NOT NULL,
  asked   DATETIME(6) NULL COMMENT 'when the machine last looked',
  person  UUID NULL COMMENT 'who decided',
  review  UUID NULL COMMENT 'that it may record in; null once decided: refused',
  INDEX (network), INDEX (expires),
  FOREIGN KEY (person) REFERENCES people (id) ON DELETE CASCADE,
  FOREIGN KEY (review) REFERENCES reviews (id) ON DELETE CASCADE
);

ALTER TABLE tokens
  ADD COLUMN review UUID NULL COMMENT 'the only review that it may record in; null: no such bound',
  ADD FOREIGN KEY (review) REFERENCES reviews (id) ON DELETE CASCADE;

-- +goose Down
DELETE FROM tokens WHERE review IS NOT NULL;
ALTER TABLE tokens DROP FOREIGN KEY tokens_ibfk_2, DROP COLUMN review;
DROP TABLE device_codes;
