-- +goose Up
-- How columns of other people's tables become readings, kept under a name.
CREATE TABLE mappings (
    id       UUID NOT NULL PRIMARY KEY,
    name     VARCHAR(64) NOT NULL,
    document LONGTEXT NOT NULL CHECK (JSON_VALID(document)),
    revision INT NOT NULL DEFAULT 1,
    person   UUID NULL,
    written  DATETIME(6) NOT NULL,
    UNIQUE KEY mappings_name (name),
    CONSTRAINT mappings_person FOREIGN KEY (person) REFERENCES people (id)
);
ALTER TABLE changes MODIFY COLUMN sort ENUM('catalogue', 'rig', 'checklist', 'review', 'person', 'proposal', 'file', 'queue', 'plan', 'trouble', 'policy', 'mapping') NOT NULL;

-- +goose Down
DELETE FROM changes WHERE sort = 'mapping';
ALTER TABLE changes MODIFY COLUMN sort ENUM('catalogue', 'rig', 'checklist', 'review', 'person', 'proposal', 'file', 'queue', 'plan', 'trouble', 'policy') NOT NULL;
DROP TABLE mappings;
