-- +goose Up
-- Codes by which a service that nobody can sign in to is set up, once. Each instance that starts meanwhile makes one.
CREATE TABLE set_up_codes (
  code BINARY(32) NOT NULL PRIMARY KEY COMMENT 'SHA-256 of the code',
  made DATETIME(6) NOT NULL
);

-- +goose Down
DROP TABLE set_up_codes;
