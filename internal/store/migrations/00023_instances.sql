-- +goose Up

-- The instances of the service that run on this database. Each writes its row every few seconds. Backups leave them out.
CREATE TABLE instances (
  id     UUID NOT NULL PRIMARY KEY COMMENT 'made when the instance starts',
  seen   DATETIME(6) NOT NULL COMMENT 'when the instance was last heard of, by the clock of the database',
  report LONGTEXT NOT NULL CHECK (JSON_VALID(report)),
  KEY (seen)
);

-- +goose Down
DROP TABLE instances;
