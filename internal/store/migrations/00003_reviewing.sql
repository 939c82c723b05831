-- +goose Up
ALTER TABLE distributions ADD COLUMN retired BOOLEAN NOT NULL DEFAULT FALSE;
ALTER TABLE releases ADD COLUMN retired BOOLEAN NOT NULL DEFAULT FALSE;
ALTER TABLE editions ADD COLUMN retired BOOLEAN NOT NULL DEFAULT FALSE;
ALTER TABLE rigs
  ADD COLUMN retired BOOLEAN NOT NULL DEFAULT FALSE,
  ADD COLUMN replaces VARCHAR(64) NOT NULL DEFAULT '' COMMENT 'key of the rig that this machine was before it changed';

-- What was renamed or merged is still found under its old key.
CREATE TABLE aliases (
  sort   ENUM('distribution', 'release', 'edition', 'rig') NOT NULL,
  parent UUID NOT NULL COMMENT 'of a release its distribution, of an edition its release; otherwise all zeros',
  `key`  VARCHAR(64) NOT NULL,
  target UUID NOT NULL,
  PRIMARY KEY (sort, parent, `key`),
  INDEX (target)
);

-- What a review holds besides its readings. Every revision is kept; an acceptance
-- pins the newest ones, and the public sees what is pinned.
CREATE TABLE review_entries (
  review   UUID NOT NULL,
  id       VARCHAR(64) NOT NULL,
  revision INT UNSIGNED NOT NULL,
  part     ENUM('system', 'finding', 'change', 'claim', 'journal', 'experience', 'verdict', 'advice', 'use', 'disclosure', 'evidence') NOT NULL,
  document LONGTEXT NOT NULL COMMENT 'the entry, as in a bundle' CHECK (JSON_VALID(document)),
  dropped  BOOLEAN NOT NULL DEFAULT FALSE,
  person   UUID NULL COMMENT 'null: the service itself',
  written  DATETIME(6) NOT NULL,
  pinned   BOOLEAN NOT NULL DEFAULT FALSE,
  PRIMARY KEY (review, id, revision),
  FOREIGN KEY (review) REFERENCES reviews (id),
  FOREIGN KEY (person) REFERENCES people (id)
);

INSERT INTO review_entries (review, id, revision, part, document, written, pinned)
SELECT r.id, IF(e.id IS NULL OR e.id = '', CONCAT(UUID(), ''), e.id), 1, 'system', e.document, r.created, r.accepted IS NOT NULL
FROM reviews r, JSON_TABLE(r.record, '$.states[*]' COLUMNS (id VARCHAR(64) PATH '$.id', document JSON PATH '$')) e;
INSERT INTO review_entries (review, id, revision, part, document, written, pinned)
SELECT r.id, IF(e.id IS NULL OR e.id = '', CONCAT(UUID(), ''), e.id), 1, 'finding', e.document, r.created, r.accepted IS NOT NULL
FROM reviews r, JSON_TABLE(r.record, '$.findings[*]' COLUMNS (id VARCHAR(64) PATH '$.id', document JSON PATH '$')) e;
INSERT INTO review_entries (review, id, revision, part, document, written, pinned)
SELECT r.id, IF(e.id IS NULL OR e.id = '', CONCAT(UUID(), ''), e.id), 1, 'change', e.document, r.created, r.accepted IS NOT NULL
FROM reviews r, JSON_TABLE(r.record, '$.changes[*]' COLUMNS (id VARCHAR(64) PATH '$.id', document JSON PATH '$')) e;
INSERT INTO review_entries (review, id, revision, part, document, written, pinned)
SELECT r.id, IF(e.id IS NULL OR e.id = '', CONCAT(UUID(), ''), e.id), 1, 'claim', e.document, r.created, r.accepted IS NOT NULL
FROM reviews r, JSON_TABLE(r.record, '$.claims[*]' COLUMNS (id VARCHAR(64) PATH '$.id', document JSON PATH '$')) e;
INSERT INTO review_entries (review, id, revision, part, document, written, pinned)
SELECT r.id, IF(e.id IS NULL OR e.id = '', CONCAT(UUID(), ''), e.id), 1, 'journal', e.document, r.created, r.accepted IS NOT NULL
FROM reviews r, JSON_TABLE(r.record, '$.journal[*]' COLUMNS (id VARCHAR(64) PATH '$.id', document JSON PATH '$')) e;
INSERT INTO review_entries (review, id, revision, part, document, written, pinned)
SELECT r.id, IF(e.id IS NULL OR e.id = '', CONCAT(UUID(), ''), e.id), 1, 'experience', e.document, r.created, r.accepted IS NOT NULL
FROM reviews r, JSON_TABLE(r.record, '$.experience[*]' COLUMNS (id VARCHAR(64) PATH '$.id', document JSON PATH '$')) e;
INSERT INTO review_entries (review, id, revision, part, document, written, pinned)
SELECT r.id, IF(e.id IS NULL OR e.id = '', CONCAT(UUID(), ''), e.id), 1, 'verdict', e.document, r.created, r.accepted IS NOT NULL
FROM reviews r, JSON_TABLE(r.record, '$.verdicts[*]' COLUMNS (id VARCHAR(64) PATH '$.id', document JSON PATH '$')) e;

ALTER TABLE reviews
  DROP COLUMN record,
  ADD COLUMN accepted_by UUID NULL,
  ADD FOREIGN KEY reviews_accepted_by (accepted_by) REFERENCES people (id);

CREATE TABLE troubles (
  id       UUID NOT NULL PRIMARY KEY,
  `key`    VARCHAR(64) NOT NULL UNIQUE,
  document LONGTEXT NOT NULL CHECK (JSON_VALID(document)),
  person   UUID NULL,
  created  DATETIME(6) NOT NULL,
  revision INT UNSIGNED NOT NULL DEFAULT 1,
  FOREIGN KEY (person) REFERENCES people (id)
);

-- The team's own rules, one row.
CREATE TABLE policy (
  id       UUID NOT NULL PRIMARY KEY,
  document LONGTEXT NOT NULL CHECK (JSON_VALID(document)),
  revision INT UNSIGNED NOT NULL DEFAULT 1
);
INSERT INTO policy (id, document) VALUES (UUID(), '{}');

-- Wishes for reviews. The same wish again adds a voice.
CREATE TABLE requests (
  id       UUID NOT NULL PRIMARY KEY,
  subject  VARCHAR(250) NOT NULL COMMENT 'a key of the catalogue, or words for what is not there',
  state    ENUM('open', 'met', 'declined') NOT NULL DEFAULT 'open',
  decision TEXT NOT NULL DEFAULT '',
  created  DATETIME(6) NOT NULL,
  revision INT UNSIGNED NOT NULL DEFAULT 1,
  INDEX (state, subject)
);

CREATE TABLE request_voices (
  request UUID NOT NULL,
  number  INT UNSIGNED NOT NULL,
  person  UUID NULL COMMENT 'null: a reader without an account',
  reason  TEXT NOT NULL,
  at      DATETIME(6) NOT NULL,
  PRIMARY KEY (request, number),
  UNIQUE (request, person),
  FOREIGN KEY (request) REFERENCES requests (id) ON DELETE CASCADE,
  FOREIGN KEY (person) REFERENCES people (id)
);

-- The lead's order of the queue; what has no place comes after what has one.
CREATE TABLE queue_places (
  subject VARCHAR(250) NOT NULL PRIMARY KEY,
  place   INT UNSIGNED NOT NULL,
  left_out TEXT NOT NULL DEFAULT '' COMMENT 'why it is not to be reviewed now; empty: it is',
  INDEX (place)
);

CREATE TABLE suggestions (
  id         UUID NOT NULL PRIMARY KEY,
  sort       ENUM('review', 'checklist', 'correction') NOT NULL,
  subject    VARCHAR(250) NOT NULL,
  text       TEXT NOT NULL,
  contact    VARCHAR(250) NOT NULL DEFAULT '',
  state      ENUM('held', 'let-in', 'declined') NOT NULL DEFAULT 'held',
  decision   TEXT NOT NULL DEFAULT '',
  decided_by UUID NULL,
  became     VARCHAR(250) NOT NULL DEFAULT '' COMMENT 'what it led to: a request or proposal',
  created    DATETIME(6) NOT NULL,
  revision   INT UNSIGNED NOT NULL DEFAULT 1,
  INDEX (state),
  FOREIGN KEY (decided_by) REFERENCES people (id)
);

CREATE TABLE plans (
  id       UUID NOT NULL PRIMARY KEY,
  document LONGTEXT NOT NULL CHECK (JSON_VALID(document)),
  state    ENUM('open', 'done', 'dropped') NOT NULL DEFAULT 'open',
  person   UUID NULL,
  created  DATETIME(6) NOT NULL,
  revision INT UNSIGNED NOT NULL DEFAULT 1,
  FOREIGN KEY (person) REFERENCES people (id)
);

-- One criterion at a time across a plan's contenders, on one rig.
CREATE TABLE bench_sessions (
  id       UUID NOT NULL PRIMARY KEY,
  plan     UUID NOT NULL,
  rig      UUID NOT NULL,
  seed     BIGINT NOT NULL COMMENT 'draws the order of the contenders',
  person   UUID NOT NULL,
  started  DATETIME(6) NOT NULL,
  closed   DATETIME(6) NULL,
  revision INT UNSIGNED NOT NULL DEFAULT 1,
  FOREIGN KEY (plan) REFERENCES plans (id),
  FOREIGN KEY (rig) REFERENCES rigs (id),
  FOREIGN KEY (person) REFERENCES people (id)
);

CREATE TABLE placings (
  id       UUID NOT NULL PRIMARY KEY,
  bench    UUID NOT NULL,
  document LONGTEXT NOT NULL CHECK (JSON_VALID(document)),
  person   UUID NOT NULL,
  at       DATETIME(6) NOT NULL,
  replaces UUID NULL UNIQUE,
  FOREIGN KEY (bench) REFERENCES bench_sessions (id),
  FOREIGN KEY (person) REFERENCES people (id)
);

ALTER TABLE people ADD COLUMN calendar BINARY(32) NULL UNIQUE COMMENT 'SHA-256 of the secret in the address of the calendar';

ALTER TABLE changes MODIFY COLUMN sort ENUM('catalogue', 'rig', 'checklist', 'review', 'person', 'proposal', 'file', 'queue', 'plan', 'trouble', 'policy') NOT NULL;

-- +goose Down
DELETE FROM changes WHERE sort IN ('queue', 'plan', 'trouble', 'policy');
ALTER TABLE changes MODIFY COLUMN sort ENUM('catalogue', 'rig', 'checklist', 'review', 'person', 'proposal', 'file') NOT NULL;
ALTER TABLE people DROP COLUMN calendar;
DROP TABLE placings, bench_sessions, plans, suggestions, queue_places, request_voices, requests, policy, troubles;
ALTER TABLE reviews
  DROP FOREIGN KEY reviews_accepted_by,
  DROP COLUMN accepted_by,
  ADD COLUMN record LONGTEXT NOT NULL DEFAULT '{}' CHECK (JSON_VALID(record));
UPDATE reviews SET record = JSON_OBJECT('states', COALESCE((SELECT JSON_ARRAYAGG(JSON_COMPACT(e.document)) FROM review_entries e WHERE e.review = reviews.id AND e.part = 'system' AND NOT e.dropped AND e.revision = (SELECT MAX(n.revision) FROM review_entries n WHERE n.review = e.review AND n.id = e.id)), JSON_ARRAY()),
  'findings', COALESCE((SELECT JSON_ARRAYAGG(JSON_COMPACT(e.document)) FROM review_entries e WHERE e.review = reviews.id AND e.part = 'finding' AND NOT e.dropped AND e.revision = (SELECT MAX(n.revision) FROM review_entries n WHERE n.review = e.review AND n.id = e.id)), JSON_ARRAY()),
  'changes', COALESCE((SELECT JSON_ARRAYAGG(JSON_COMPACT(e.document)) FROM review_entries e WHERE e.review = reviews.id AND e.part = 'change' AND NOT e.dropped AND e.revision = (SELECT MAX(n.revision) FROM review_entries n WHERE n.review = e.review AND n.id = e.id)), JSON_ARRAY()),
  'claims', COALESCE((SELECT JSON_ARRAYAGG(JSON_COMPACT(e.document)) FROM review_entries e WHERE e.review = reviews.id AND e.part = 'claim' AND NOT e.dropped AND e.revision = (SELECT MAX(n.revision) FROM review_entries n WHERE n.review = e.review AND n.id = e.id)), JSON_ARRAY()),
  'journal', COALESCE((SELECT JSON_ARRAYAGG(JSON_COMPACT(e.document)) FROM review_entries e WHERE e.review = reviews.id AND e.part = 'journal' AND NOT e.dropped AND e.revision = (SELECT MAX(n.revision) FROM review_entries n WHERE n.review = e.review AND n.id = e.id)), JSON_ARRAY()),
  'experience', COALESCE((SELECT JSON_ARRAYAGG(JSON_COMPACT(e.document)) FROM review_entries e WHERE e.review = reviews.id AND e.part = 'experience' AND NOT e.dropped AND e.revision = (SELECT MAX(n.revision) FROM review_entries n WHERE n.review = e.review AND n.id = e.id)), JSON_ARRAY()),
  'verdicts', COALESCE((SELECT JSON_ARRAYAGG(JSON_COMPACT(e.document)) FROM review_entries e WHERE e.review = reviews.id AND e.part = 'verdict' AND NOT e.dropped AND e.revision = (SELECT MAX(n.revision) FROM review_entries n WHERE n.review = e.review AND n.id = e.id)), JSON_ARRAY()));
DROP TABLE review_entries, aliases;
ALTER TABLE rigs DROP COLUMN retired, DROP COLUMN replaces;
ALTER TABLE editions DROP COLUMN retired;
ALTER TABLE releases DROP COLUMN retired;
ALTER TABLE distributions DROP COLUMN retired;
