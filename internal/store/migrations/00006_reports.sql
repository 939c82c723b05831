-- +goose Up
CREATE TABLE report_series (
  id    UUID NOT NULL PRIMARY KEY,
  `key` VARCHAR(64) NOT NULL UNIQUE,
  title VARCHAR(200) NOT NULL
);

CREATE TABLE reports (
  id      UUID NOT NULL PRIMARY KEY,
  `key`   VARCHAR(64) NOT NULL UNIQUE,
  series  UUID NULL,
  number  INT UNSIGNED NULL COMMENT 'within its series, from 1',
  created DATETIME(6) NOT NULL,
  person  UUID NULL,
  UNIQUE (series, number),
  FOREIGN KEY (series) REFERENCES report_series (id),
  FOREIGN KEY (person) REFERENCES people (id)
);

CREATE TABLE report_drafts (
  id       UUID NOT NULL PRIMARY KEY COMMENT 'of the report',
  document LONGTEXT NOT NULL CHECK (JSON_VALID(document)),
  person   UUID NULL,
  written  DATETIME(6) NOT NULL,
  revision INT UNSIGNED NOT NULL DEFAULT 1,
  FOREIGN KEY (id) REFERENCES reports (id) ON DELETE CASCADE,
  FOREIGN KEY (person) REFERENCES people (id)
);

CREATE TABLE report_draft_versions (
  report   UUID NOT NULL,
  number   INT UNSIGNED NOT NULL,
  document LONGTEXT NOT NULL CHECK (JSON_VALID(document)),
  person   UUID NULL,
  written  DATETIME(6) NOT NULL,
  PRIMARY KEY (report, number),
  FOREIGN KEY (report) REFERENCES reports (id) ON DELETE CASCADE,
  FOREIGN KEY (person) REFERENCES people (id)
);

CREATE TABLE report_authors (
  report UUID NOT NULL,
  person UUID NOT NULL,
  PRIMARY KEY (report, person),
  FOREIGN KEY (report) REFERENCES reports (id) ON DELETE CASCADE,
  FOREIGN KEY (person) REFERENCES people (id)
);

CREATE TABLE report_revisions (
  report    UUID NOT NULL,
  revision  INT UNSIGNED NOT NULL COMMENT 'from 1',
  seal      BINARY(32) NOT NULL COMMENT 'SHA-256 of its document',
  title     VARCHAR(200) NOT NULL,
  about     VARCHAR(500) NOT NULL,
  checklist VARCHAR(80) NOT NULL,
  audiences LONGTEXT NOT NULL CHECK (JSON_VALID(audiences)),
  editions  LONGTEXT NOT NULL CHECK (JSON_VALID(editions)),
  authors   LONGTEXT NOT NULL CHECK (JSON_VALID(authors)),
  erratum   LONGTEXT NULL CHECK (erratum IS NULL OR JSON_VALID(erratum)),
  published DATETIME(6) NOT NULL,
  person    UUID NULL,
  PRIMARY KEY (report, revision),
  FOREIGN KEY (report) REFERENCES reports (id),
  FOREIGN KEY (person) REFERENCES people (id)
);

CREATE TABLE frozen_files (
  sha256   BINARY(32) NOT NULL PRIMARY KEY,
  type     VARCHAR(100) NOT NULL,
  size     BIGINT UNSIGNED NOT NULL COMMENT 'of the file itself',
  encoding ENUM('', 'gzip') NOT NULL COMMENT 'in which its pieces are kept'
);

CREATE TABLE frozen_pieces (
  sha256  BINARY(32) NOT NULL,
  number  INT UNSIGNED NOT NULL,
  content LONGBLOB NOT NULL,
  PRIMARY KEY (sha256, number),
  FOREIGN KEY (sha256) REFERENCES frozen_files (sha256)
);

CREATE TABLE report_files (
  report   UUID NOT NULL,
  revision INT UNSIGNED NOT NULL,
  number   INT UNSIGNED NOT NULL,
  name     VARCHAR(200) NOT NULL,
  sha256   BINARY(32) NOT NULL,
  PRIMARY KEY (report, revision, number),
  UNIQUE (report, revision, name),
  FOREIGN KEY (report, revision) REFERENCES report_revisions (report, revision),
  FOREIGN KEY (sha256) REFERENCES frozen_files (sha256)
);

ALTER TABLE changes MODIFY COLUMN sort ENUM('catalogue', 'rig', 'checklist', 'review', 'person', 'proposal', 'file', 'queue', 'plan', 'trouble', 'policy', 'mapping', 'report') NOT NULL;

-- +goose Down
DELETE FROM changes WHERE sort = 'report';
ALTER TABLE changes MODIFY COLUMN sort ENUM('catalogue', 'rig', 'checklist', 'review', 'person', 'proposal', 'file', 'queue', 'plan', 'trouble', 'policy', 'mapping') NOT NULL;
DROP TABLE report_files, frozen_pieces, frozen_files, report_revisions, report_authors, report_draft_versions, report_drafts, reports, report_series;
