package store_test

import (
	"database/sql"
	"testing"
	"time"

	"dappertally/core/catalogue"
	"dappertally/internal/dbtest"
	"dappertally/internal/store"
)

// TestNewerSchema works with a schema that a newer version has added to: an upgrade runs both beside each other.
func TestNewerSchema(t *testing.T) {
	dsn := dbtest.Migrated(t)
	db, err := sql.Open("mysql", dsn)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	for _, statement := range []string{
		`CREATE TABLE of_tomorrow (id INT PRIMARY KEY)`,
		`ALTER TABLE distributions ADD COLUMN of_tomorrow INT NOT NULL DEFAULT 7`,
		`INSERT INTO goose_db_version (version_id, is_applied) VALUES (9999, 1)`,
	} {
		if _, err := db.ExecContext(t.Context(), statement); err != nil {
			t.Fatal(err)
		}
	}
	s := opened(t, dsn)
	if applied, err := s.Migrate(t.Context()); err != nil || applied != 0 {
		t.Errorf("%d migrations, %v", applied, err)
	}
	if _, err := s.Write(t.Context(), "", time.Now(), func(tx *store.Tx) error {
		if _, err := tx.AddDistribution(&catalogue.Distribution{Key: "one", Name: "One", Model: "fixed"}); err != nil {
			return err
		}
		return tx.Log("added", store.SortCatalogue, "one", "")
	}); err != nil {
		t.Errorf("writing: %v", err)
	}
	snap, err := s.ReadAt(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	defer snap.Close()
	if c, err := snap.Catalogue(); err != nil || len(c.Distributions) != 1 {
		t.Errorf("reading: %v", err)
	}
}
