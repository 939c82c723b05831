-- +goose Up
CREATE TABLE people (
  id         UUID NOT NULL PRIMARY KEY,
  name       VARCHAR(64) NOT NULL UNIQUE,
  title      VARCHAR(200) NOT NULL,
  roles      SET('reviewer', 'lead', 'administrator') NOT NULL DEFAULT '',
  password   VARCHAR(255) NOT NULL DEFAULT '' COMMENT 'argon2id; empty: cannot sign in',
  disclosure TEXT NOT NULL DEFAULT '',
  created    DATETIME(6) NOT NULL
);

CREATE TABLE sessions (
  token   BINARY(32) NOT NULL PRIMARY KEY COMMENT 'SHA-256 of the secret',
  person  UUID NOT NULL,
  expires DATETIME(6) NOT NULL,
  INDEX (expires),
  FOREIGN KEY (person) REFERENCES people (id) ON DELETE CASCADE
);

CREATE TABLE tokens (
  id      UUID NOT NULL PRIMARY KEY,
  token   BINARY(32) NOT NULL UNIQUE COMMENT 'SHA-256 of the secret',
  person  UUID NOT NULL,
  label   VARCHAR(200) NOT NULL,
  roles   SET('reviewer', 'lead', 'administrator') NOT NULL DEFAULT '',
  created DATETIME(6) NOT NULL,
  expires DATETIME(6) NOT NULL,
  FOREIGN KEY (person) REFERENCES people (id) ON DELETE CASCADE
);

CREATE TABLE distributions (
  id       UUID NOT NULL PRIMARY KEY,
  `key`    VARCHAR(64) NOT NULL UNIQUE,
  name     VARCHAR(200) NOT NULL,
  family   JSON NOT NULL,
  model    ENUM('fixed', 'rolling', 'semi-rolling') NOT NULL,
  aim      TEXT NOT NULL,
  revision INT UNSIGNED NOT NULL DEFAULT 1
);

CREATE TABLE releases (
  id             UUID NOT NULL PRIMARY KEY,
  distribution   UUID NOT NULL,
  version        VARCHAR(64) NOT NULL,
  codename       VARCHAR(200) NOT NULL,
  date           DATE NOT NULL,
  tier           ENUM('', 'long-term', 'regular', 'snapshot') NOT NULL,
  stage          ENUM('', 'pre-release', 'final') NOT NULL,
  end_of_support DATE NULL,
  replaces       JSON NOT NULL,
  based_on       VARCHAR(200) NOT NULL,
  revision       INT UNSIGNED NOT NULL DEFAULT 1,
  UNIQUE (distribution, version),
  FOREIGN KEY (distribution) REFERENCES distributions (id)
);

CREATE TABLE editions (
  id           UUID NOT NULL PRIMARY KEY,
  `release`    UUID NOT NULL,
  `key`        VARCHAR(64) NOT NULL,
  line         VARCHAR(64) NOT NULL,
  desktop      VARCHAR(200) NOT NULL,
  architecture VARCHAR(64) NOT NULL,
  profile      VARCHAR(64) NOT NULL,
  purpose      VARCHAR(200) NOT NULL,
  memory_mib   BIGINT NOT NULL,
  disk_gib     BIGINT NOT NULL,
  revision     INT UNSIGNED NOT NULL DEFAULT 1,
  UNIQUE (`release`, `key`),
  FOREIGN KEY (`release`) REFERENCES releases (id)
);

CREATE TABLE rigs (
  id         UUID NOT NULL PRIMARY KEY,
  `key`      VARCHAR(64) NOT NULL UNIQUE,
  name       VARCHAR(200) NOT NULL,
  class      ENUM('', 'older', 'current', 'low-power', 'virtual') NOT NULL,
  is_virtual BOOLEAN NOT NULL,
  cpu        VARCHAR(200) NOT NULL,
  cores      INT NOT NULL,
  memory_mib BIGINT NOT NULL,
  graphics   VARCHAR(200) NOT NULL,
  storage    VARCHAR(200) NOT NULL,
  equipment  JSON NOT NULL,
  weight     DOUBLE NULL,
  revision   INT UNSIGNED NOT NULL DEFAULT 1
);

CREATE TABLE checklists (
  id    UUID NOT NULL PRIMARY KEY,
  `key` VARCHAR(64) NOT NULL UNIQUE
);

CREATE TABLE checklist_versions (
  id        UUID NOT NULL PRIMARY KEY,
  checklist UUID NOT NULL,
  version   INT NOT NULL,
  state     ENUM('draft', 'in-force', 'retired') NOT NULL,
  document  LONGTEXT NOT NULL COMMENT 'the whole version, as in a bundle' CHECK (JSON_VALID(document)),
  in_force  DATETIME(6) NULL,
  revision  INT UNSIGNED NOT NULL DEFAULT 1,
  UNIQUE (checklist, version),
  FOREIGN KEY (checklist) REFERENCES checklists (id)
);

-- What the documents ask, so that a reading cannot name what is not asked.
CREATE TABLE criteria (
  checklist_version UUID NOT NULL,
  `key`             VARCHAR(64) NOT NULL,
  PRIMARY KEY (checklist_version, `key`),
  FOREIGN KEY (checklist_version) REFERENCES checklist_versions (id) ON DELETE CASCADE
);

CREATE TABLE reviews (
  id                UUID NOT NULL PRIMARY KEY,
  edition           UUID NOT NULL,
  checklist_version UUID NOT NULL,
  state             ENUM('planned', 'underway', 'handed-in', 'accepted', 'withdrawn') NOT NULL,
  accepted          DATETIME(6) NULL COMMENT 'the last acceptance; it stands until the next, or withdrawal',
  continues         UUID NULL,
  assigned          UUID NULL,
  due               DATE NULL,
  reason            TEXT NOT NULL DEFAULT '',
  created           DATETIME(6) NOT NULL,
  record            LONGTEXT NOT NULL DEFAULT '{}' COMMENT 'system states, findings and the like, as in a bundle' CHECK (JSON_VALID(record)),
  revision          INT UNSIGNED NOT NULL DEFAULT 1,
  INDEX (state),
  UNIQUE (id, checklist_version),
  FOREIGN KEY (edition) REFERENCES editions (id),
  FOREIGN KEY (checklist_version) REFERENCES checklist_versions (id),
  FOREIGN KEY (continues) REFERENCES reviews (id),
  FOREIGN KEY (assigned) REFERENCES people (id)
);

-- Append-only, but for pinned, which an acceptance sets.
CREATE TABLE readings (
  review            UUID NOT NULL,
  id                UUID NOT NULL,
  checklist_version UUID NOT NULL,
  criterion         VARCHAR(64) NOT NULL,
  reviewer          UUID NOT NULL,
  rig               UUID NULL,
  measured          DATETIME(6) NOT NULL,
  received          DATETIME(6) NULL,
  system            VARCHAR(64) NOT NULL,
  method            VARCHAR(64) NOT NULL,
  setup             VARCHAR(64) NOT NULL,
  phase             VARCHAR(64) NOT NULL,
  answer            LONGTEXT NOT NULL CHECK (JSON_VALID(answer)),
  adjustment        DOUBLE NULL,
  adjustment_reason TEXT NOT NULL,
  bound             ENUM('', 'about', 'at-least', 'at-most') NOT NULL,
  disturbance       TEXT NOT NULL,
  replaces          UUID NULL,
  is_repeat         BOOLEAN NOT NULL,
  note              TEXT NOT NULL,
  pinned            BOOLEAN NOT NULL DEFAULT FALSE,
  PRIMARY KEY (review, id),
  UNIQUE (review, replaces),
  FOREIGN KEY (review, checklist_version) REFERENCES reviews (id, checklist_version),
  FOREIGN KEY (checklist_version, criterion) REFERENCES criteria (checklist_version, `key`),
  FOREIGN KEY (reviewer) REFERENCES people (id),
  FOREIGN KEY (rig) REFERENCES rigs (id)
);

CREATE TABLE drafts (
  review    UUID NOT NULL,
  person    UUID NOT NULL,
  criterion VARCHAR(64) NOT NULL,
  rig       VARCHAR(64) NOT NULL,
  method    VARCHAR(64) NOT NULL,
  setup     VARCHAR(64) NOT NULL,
  phase     VARCHAR(64) NOT NULL,
  text      TEXT NOT NULL,
  saved     DATETIME(6) NOT NULL,
  PRIMARY KEY (review, person, criterion, rig, method, setup, phase),
  FOREIGN KEY (review) REFERENCES reviews (id) ON DELETE CASCADE,
  FOREIGN KEY (person) REFERENCES people (id) ON DELETE CASCADE
);

-- One locked row numbers the changes, so that numbers appear in the order of commits.
CREATE TABLE change_counter (
  one    TINYINT NOT NULL PRIMARY KEY CHECK (one = 1),
  number BIGINT NOT NULL
);
INSERT INTO change_counter (one, number) VALUES (1, 0);

CREATE TABLE changes (
  number  BIGINT NOT NULL PRIMARY KEY,
  at      DATETIME(6) NOT NULL,
  person  UUID NULL COMMENT 'null: the service itself',
  action  VARCHAR(64) NOT NULL,
  sort    ENUM('catalogue', 'rig', 'checklist', 'review', 'person') NOT NULL,
  subject VARCHAR(255) NOT NULL,
  detail  TEXT NOT NULL,
  FOREIGN KEY (person) REFERENCES people (id)
);

-- +goose Down
DROP TABLE changes, change_counter, drafts, readings, reviews, criteria, checklist_versions,
  checklists, rigs, editions, releases, distributions, tokens, sessions, people;
