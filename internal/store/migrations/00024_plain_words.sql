-- +goose Up

-- Names as everybody uses them: a review is submitted, a suggestion is accepted, a problem of several editions is a
-- known issue, and readers request reviews.
ALTER TABLE reviews MODIFY COLUMN state ENUM('planned', 'underway', 'handed-in', 'submitted', 'accepted', 'withdrawn') NOT NULL;
UPDATE reviews SET state = 'submitted' WHERE state = 'handed-in';
ALTER TABLE reviews MODIFY COLUMN state ENUM('planned', 'underway', 'submitted', 'accepted', 'withdrawn') NOT NULL;
UPDATE changes SET action = 'submitted' WHERE sort = 'review' AND action = 'handed-in';

ALTER TABLE suggestions MODIFY COLUMN state ENUM('held', 'let-in', 'accepted', 'declined') NOT NULL DEFAULT 'held';
UPDATE suggestions SET state = 'accepted' WHERE state = 'let-in';
ALTER TABLE suggestions MODIFY COLUMN state ENUM('held', 'accepted', 'declined') NOT NULL DEFAULT 'held';

RENAME TABLE troubles TO known_issues, request_voices TO requesters;
ALTER TABLE review_entries CHANGE COLUMN trouble known_issue VARCHAR(64) NOT NULL DEFAULT ''
  COMMENT 'of a finding: the key of the known issue that it is a case of';
ALTER TABLE review_entries RENAME INDEX trouble TO known_issue;
ALTER TABLE device_codes CHANGE COLUMN wished requested UUID NULL COMMENT 'the review that it asks for';

ALTER TABLE changes MODIFY COLUMN sort ENUM('catalogue', 'rig', 'checklist', 'review', 'person', 'proposal', 'file', 'queue', 'plan',
  'trouble', 'known-issue', 'policy', 'mapping', 'report') NOT NULL;
UPDATE changes SET sort = 'known-issue' WHERE sort = 'trouble';
ALTER TABLE changes MODIFY COLUMN sort ENUM('catalogue', 'rig', 'checklist', 'review', 'person', 'proposal', 'file', 'queue', 'plan',
  'known-issue', 'policy', 'mapping', 'report') NOT NULL;
UPDATE hooks SET sorts = TRIM(BOTH ',' FROM REPLACE(CONCAT(',', sorts, ','), ',trouble,', ',known-issue,'));

-- Pages that have a new address.
UPDATE saved_views SET address = REGEXP_REPLACE(address, '^/what-if(?=$|[?#])', '/weights');
UPDATE saved_views SET address = REGEXP_REPLACE(address, '^/how-sure(?=$|[?#])', '/steadiness');
UPDATE saved_views SET address = REGEXP_REPLACE(address, '^/look-into(?=$|[?#])', '/data-quality');
UPDATE saved_views SET address = REPLACE(address, 'shake=', 'vary=') WHERE address LIKE '/steadiness%';

-- +goose Down
ALTER TABLE reviews MODIFY COLUMN state ENUM('planned', 'underway', 'handed-in', 'submitted', 'accepted', 'withdrawn') NOT NULL;
UPDATE reviews SET state = 'handed-in' WHERE state = 'submitted';
ALTER TABLE reviews MODIFY COLUMN state ENUM('planned', 'underway', 'handed-in', 'accepted', 'withdrawn') NOT NULL;
UPDATE changes SET action = 'handed-in' WHERE sort = 'review' AND action = 'submitted';
ALTER TABLE suggestions MODIFY COLUMN state ENUM('held', 'let-in', 'accepted', 'declined') NOT NULL DEFAULT 'held';
UPDATE suggestions SET state = 'let-in' WHERE state = 'accepted';
ALTER TABLE suggestions MODIFY COLUMN state ENUM('held', 'let-in', 'declined') NOT NULL DEFAULT 'held';
RENAME TABLE known_issues TO troubles, requesters TO request_voices;
ALTER TABLE review_entries CHANGE COLUMN known_issue trouble VARCHAR(64) NOT NULL DEFAULT '';
ALTER TABLE review_entries RENAME INDEX known_issue TO trouble;
ALTER TABLE device_codes CHANGE COLUMN requested wished UUID NULL;
ALTER TABLE changes MODIFY COLUMN sort ENUM('catalogue', 'rig', 'checklist', 'review', 'person', 'proposal', 'file', 'queue', 'plan',
  'trouble', 'known-issue', 'policy', 'mapping', 'report') NOT NULL;
UPDATE changes SET sort = 'trouble' WHERE sort = 'known-issue';
ALTER TABLE changes MODIFY COLUMN sort ENUM('catalogue', 'rig', 'checklist', 'review', 'person', 'proposal', 'file', 'queue', 'plan',
  'trouble', 'policy', 'mapping', 'report') NOT NULL;
