package store

import (
	"io/fs"
	"path"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"dappertally/internal/build"
)

// contracts matches statements after which the program of the previous release stops working. An upgrade runs it
// beside the new one: a release can only add; the next one can remove what is no longer used.
var contracts = regexp.MustCompile(`(?i)\b(DROP\s+(TABLE|COLUMN|INDEX|KEY|PRIMARY|FOREIGN|CONSTRAINT)|` +
	`RENAME|CHANGE\s+COLUMN|MODIFY|TRUNCATE)\b`)

// added matches a new column with its options.
var added = regexp.MustCompile(`(?i)\bADD\s+(?:COLUMN\s+)?\w+\s+(?:\([^)]*\)|[^,;(])*`)

// filled matches what spares the previous program from filling a new column.
var filled = regexp.MustCompile(`(?i)\bDEFAULT\b|\bAS\s*\(`)

// TestMigrationsOnlyAdd checks the migrations after the last release.
func TestMigrationsOnlyAdd(t *testing.T) {
	names, err := fs.Glob(migrations, "migrations/*.sql")
	if err != nil {
		t.Fatal(err)
	}
	newest := 0
	for _, name := range names {
		number, err := strconv.Atoi(strings.SplitN(path.Base(name), "_", 2)[0])
		if err != nil {
			t.Fatal(err)
		}
		if newest = max(newest, number); number <= build.Released {
			continue
		}
		text, err := fs.ReadFile(migrations, name)
		if err != nil {
			t.Fatal(err)
		}
		if why := takesAway(string(text)); why != "" {
			t.Errorf("%s: the program before does not work with: %s", name, why)
		}
	}
	if newest != build.Schema {
		t.Errorf("the newest migration is %d, and the programs say that they need %d", newest, build.Schema)
	}
}

// takesAway returns the first part of a migration that removes something; empty if there is none.
func takesAway(migration string) string {
	up, _, _ := strings.Cut(migration, "-- +goose Down")
	if found := contracts.FindString(up); found != "" {
		return found
	}
	for _, found := range added.FindAllString(up, -1) {
		if strings.Contains(strings.ToUpper(found), "NOT NULL") && !filled.MatchString(found) {
			return found
		}
	}
	return ""
}

func TestTakesAway(t *testing.T) {
	for migration, takes := range map[string]bool{
		"CREATE TABLE x (y INT NOT NULL);\n-- +goose Down\nDROP TABLE x;": false,
		"ALTER TABLE x ADD COLUMN y INT NULL;":                            false,
		"ALTER TABLE x ADD COLUMN y INT NOT NULL DEFAULT 0, ADD z INT;":   false,
		"ALTER TABLE x ADD COLUMN y INT NOT NULL;":                        true,
		"ALTER TABLE x ADD y INT NOT NULL, ADD z INT DEFAULT 1;":          true,
		"ALTER TABLE x DROP COLUMN y;":                                    true,
		"RENAME TABLE x TO y;":                                            true,
		"ALTER TABLE x MODIFY y TEXT;":                                    true,
		"DROP TABLE x;":                                                   true,
	} {
		if got := takesAway(migration); (got != "") != takes {
			t.Errorf("%s: %q", migration, got)
		}
	}
}
