-- +goose Up
ALTER TABLE checklists ADD COLUMN shown INT NULL COMMENT 'the version shown where none is asked for; null: the newest in force';

-- Audiences go on changing after a version is frozen; every revision is kept.
CREATE TABLE audiences (
  checklist_version UUID NOT NULL,
  `key`             VARCHAR(64) NOT NULL,
  revision          INT UNSIGNED NOT NULL,
  dropped           BOOLEAN NOT NULL DEFAULT FALSE,
  document          LONGTEXT NOT NULL COMMENT 'the audience, as in a bundle' CHECK (JSON_VALID(document)),
  reason            TEXT NOT NULL DEFAULT '',
  person            UUID NULL COMMENT 'null: the service itself',
  created           DATETIME(6) NOT NULL,
  PRIMARY KEY (checklist_version, `key`, revision),
  FOREIGN KEY (checklist_version) REFERENCES checklist_versions (id) ON DELETE CASCADE,
  FOREIGN KEY (person) REFERENCES people (id)
);

INSERT INTO audiences (checklist_version, `key`, revision, document, created)
SELECT v.id, a.k, 1, a.document, COALESCE(v.in_force, UTC_TIMESTAMP(6))
FROM checklist_versions v, JSON_TABLE(v.document, '$.audiences[*]' COLUMNS (k VARCHAR(64) PATH '$.key', document JSON PATH '$')) a
WHERE v.state <> 'draft';

ALTER TABLE reviews
  ADD COLUMN carried_from UUID NULL COMMENT 'the review on an older version that this one was carried over from',
  ADD FOREIGN KEY (carried_from) REFERENCES reviews (id);

CREATE TABLE proposals (
  id                UUID NOT NULL PRIMARY KEY,
  checklist_version UUID NOT NULL,
  person            UUID NOT NULL,
  title             VARCHAR(200) NOT NULL,
  reason            TEXT NOT NULL,
  edits             LONGTEXT NOT NULL CHECK (JSON_VALID(edits)),
  state             ENUM('open', 'accepted', 'declined', 'withdrawn') NOT NULL DEFAULT 'open',
  created           DATETIME(6) NOT NULL,
  decided           DATETIME(6) NULL,
  decided_by        UUID NULL,
  decision          TEXT NOT NULL DEFAULT '',
  revision          INT UNSIGNED NOT NULL DEFAULT 1,
  INDEX (state),
  FOREIGN KEY (checklist_version) REFERENCES checklist_versions (id),
  FOREIGN KEY (person) REFERENCES people (id),
  FOREIGN KEY (decided_by) REFERENCES people (id)
);

CREATE TABLE proposal_comments (
  proposal UUID NOT NULL,
  number   INT UNSIGNED NOT NULL,
  person   UUID NOT NULL,
  at       DATETIME(6) NOT NULL,
  text     TEXT NOT NULL,
  PRIMARY KEY (proposal, number),
  FOREIGN KEY (proposal) REFERENCES proposals (id) ON DELETE CASCADE,
  FOREIGN KEY (person) REFERENCES people (id)
);

-- Files by their content, in pieces that fit a packet.
CREATE TABLE files (
  sha256  BINARY(32) NOT NULL PRIMARY KEY,
  size    BIGINT NOT NULL,
  person  UUID NULL,
  created DATETIME(6) NOT NULL,
  FOREIGN KEY (person) REFERENCES people (id)
);

CREATE TABLE file_pieces (
  sha256  BINARY(32) NOT NULL,
  number  INT UNSIGNED NOT NULL,
  content MEDIUMBLOB NOT NULL,
  PRIMARY KEY (sha256, number),
  FOREIGN KEY (sha256) REFERENCES files (sha256) ON DELETE CASCADE
);

ALTER TABLE changes MODIFY COLUMN sort ENUM('catalogue', 'rig', 'checklist', 'review', 'person', 'proposal', 'file') NOT NULL;

-- +goose Down
ALTER TABLE changes MODIFY COLUMN sort ENUM('catalogue', 'rig', 'checklist', 'review', 'person') NOT NULL;
DROP TABLE file_pieces, files, proposal_comments, proposals;
ALTER TABLE reviews DROP FOREIGN KEY IF EXISTS reviews_ibfk_5, DROP COLUMN carried_from;
DROP TABLE audiences;
ALTER TABLE checklists DROP COLUMN shown;
