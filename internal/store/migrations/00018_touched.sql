-- +goose Up

-- The reviews that one change is about where it is about many; without any, it is about all.
CREATE TABLE touched (
  number BIGINT NOT NULL,
  review UUID NOT NULL,
  PRIMARY KEY (number, review)
);

-- +goose Down
DROP TABLE touched;
