-- +goose Up
-- Who somebody is at a provider of single sign-on (OpenID Connect).
CREATE TABLE identities (
  provider VARCHAR(64) NOT NULL COMMENT 'its key in the settings',
  subject  VARCHAR(255) NOT NULL COMMENT 'who they are there',
  person   UUID NOT NULL,
  created  DATETIME(6) NOT NULL,
  used     DATETIME(6) NOT NULL,
  PRIMARY KEY (provider, subject),
  UNIQUE KEY (provider, person),
  FOREIGN KEY (person) REFERENCES people (id) ON DELETE CASCADE
);

-- +goose Down
DROP TABLE identities;
