package store

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"errors"
	"fmt"
	"io/fs"
	"path"
	"slices"
	"strconv"
	"strings"
	"sync"

	"github.com/go-sql-driver/mysql"
)

// migration is one file of migrations: the statements that change the schema, and those that change it back.
type migration struct {
	version  int64
	up, down []string
}

// allMigrations returns those of the program, by version.
var allMigrations = sync.OnceValues(func() (all []migration, err error) {
	names, err := fs.Glob(migrations, "migrations/*.sql")
	if err != nil {
		return nil, err
	}
	for _, name := range names {
		number, _, _ := strings.Cut(path.Base(name), "_")
		version, err := strconv.ParseInt(number, 10, 64)
		if err != nil {
			return nil, fmt.Errorf("the name of %s does not begin with a version: %w", name, err)
		}
		text, err := fs.ReadFile(migrations, name)
		if err != nil {
			return nil, err
		}
		up, down, _ := strings.Cut(string(text), "-- +goose Down")
		all = append(all, migration{version, statements(up), statements(down)})
	}
	return all, nil
})

// statements splits a text into its statements. Each ends with a semicolon at the end of a line; comment lines are
// left out.
func statements(text string) (all []string) {
	var lines []string
	for line := range strings.Lines(text) {
		if line = strings.TrimRight(line, "\n"); line == "" || strings.HasPrefix(line, "--") {
			continue
		}
		lines = append(lines, line)
		if strings.HasSuffix(line, ";") {
			all, lines = append(all, strings.Join(lines, "\n")), nil
		}
	}
	if lines != nil {
		all = append(all, strings.Join(lines, "\n"))
	}
	return all
}

// stepsTable records which statements of the current migration were started.
const stepsTable = "migration_steps"

// apply runs the statements of a migration, except those that an interrupted attempt has run. The server commits
// before and after each statement that changes the schema, so an interrupted attempt leaves a part behind. Therefore
// each statement is recorded before it runs; one that only changes rows in one transaction with its record. Of all
// recorded statements only the last may not have run, and only if it changes the schema; it is run again, and then an
// error that shows that it has run is ignored. The transaction that began tx has ended with the first statement here.
func (m migration) apply(ctx context.Context, tx *sql.Tx) error {
	if _, err := tx.ExecContext(ctx, `CREATE TABLE IF NOT EXISTS `+stepsTable+` (
		number    INT NOT NULL PRIMARY KEY,
		statement BINARY(32) NOT NULL COMMENT 'SHA-256 of its text'
	)`); err != nil {
		return err
	}
	begun, err := texts(ctx, tx, `SELECT statement FROM `+stepsTable+` ORDER BY number`)
	if err != nil {
		return err
	}
	for i, statement := range m.up {
		hash := sha256.Sum256([]byte(statement))
		if i < len(begun) {
			if begun[i] != string(hash[:]) {
				return fmt.Errorf("statement %d is another than the one that was begun; "+
					"start the program that began this migration, so that it completes it", i+1)
			}
			if i == len(begun)-1 && changesSchema(statement) {
				if _, err := tx.ExecContext(ctx, statement); err != nil && !hasRun(err) {
					return fmt.Errorf("statement %d: %w", i+1, err)
				}
			}
			continue
		}
		if err := begin(ctx, tx, i, hash[:], statement); err != nil {
			return fmt.Errorf("statement %d: %w", i+1, err)
		}
	}
	if _, err := tx.ExecContext(ctx, `START TRANSACTION`); err != nil { // which the migrator commits with the version
		return err
	}
	_, err = tx.ExecContext(ctx, `DELETE FROM `+stepsTable)
	return err
}

// begin records a statement and runs it. If it fails because of existing objects, the record is removed again: the
// next attempt would take the same error for a sign that the statement has run.
func begin(ctx context.Context, tx *sql.Tx, number int, hash []byte, statement string) error {
	if !changesSchema(statement) {
		if _, err := tx.ExecContext(ctx, `START TRANSACTION`); err != nil {
			return err
		}
	}
	_, err := tx.ExecContext(ctx, `INSERT INTO `+stepsTable+` (number, statement) VALUES (?, ?)`, number, hash)
	if err != nil {
		return err
	}
	_, err = tx.ExecContext(ctx, statement)
	switch {
	case !changesSchema(statement) && err == nil:
		_, err = tx.ExecContext(ctx, `COMMIT`)
	case changesSchema(statement) && hasRun(err):
		_, undone := tx.ExecContext(ctx, `DELETE FROM `+stepsTable+` WHERE number = ?`, number)
		err = errors.Join(err, undone)
	}
	return err
}

// revert runs the statements that change the schema back.
func (m migration) revert(ctx context.Context, tx *sql.Tx) error {
	for _, statement := range m.down {
		if _, err := tx.ExecContext(ctx, statement); err != nil {
			return err
		}
	}
	return nil
}

// changesSchema reports whether the server commits before and after a statement.
func changesSchema(statement string) bool {
	verb, _, _ := strings.Cut(statement, " ")
	return slices.Contains([]string{"CREATE", "ALTER", "DROP", "RENAME", "TRUNCATE"}, verb)
}

// hasRun reports whether a statement that changes the schema failed because its result already exists, or because
// what it changes or removes does not exist.
func hasRun(err error) bool {
	const (
		tableExists, noTable, unknownTable      = 1050, 1051, noSuchTable
		columnExists, noColumn, columnNotToDrop = 1060, 1054, 1091
		indexExists, noIndex, primaryKeyExists  = 1061, 1176, 1068
		constraintExists                        = 1826
	)
	var my *mysql.MySQLError
	return errors.As(err, &my) && slices.Contains([]uint16{
		tableExists, noTable, unknownTable, columnExists, noColumn, columnNotToDrop,
		indexExists, noIndex, primaryKeyExists, constraintExists,
	}, my.Number)
}
