package store

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"log/slog"

	"github.com/go-sql-driver/mysql"
	"github.com/pressly/goose/v3"
)

//go:embed migrations/*.sql
var migrations embed.FS

// failovers is how often an interrupted migration is resumed by the same call.
const failovers = 3

// Migrate updates the schema and returns how many migrations were applied. Instances that start together wait for
// each other on a lock of the database. Its connections are not closed while the database does not answer. An
// interrupted migration is resumed: by this call if another node of the database is writable, otherwise by the next
// call.
func (s *Store) Migrate(ctx context.Context) (applied int, err error) {
	ctx = context.WithValue(ctx, keptKey{}, true)
	for tries := 0; ; tries++ {
		done, err := s.migrate(ctx)
		applied += done
		switch {
		case err == nil:
			return applied, nil
		case isInterrupted(err) && tries < failovers && s.recovers(ctx):
			slog.Warn("a migration was interrupted and is resumed", "node", s.Node(), "why", err)
		default:
			return applied, err
		}
	}
}

func (s *Store) migrate(ctx context.Context) (applied int, err error) {
	provider, err := s.provider()
	if err != nil {
		return 0, err
	}
	conn, err := s.patient.Conn(ctx)
	if err != nil {
		return 0, translate(err)
	}
	defer conn.Close()
	if err := lockMigrations(ctx, conn); err != nil {
		return 0, translate(err)
	}
	// A connection that cannot unlock is lost, and the lock with it.
	defer func() { _, _ = conn.ExecContext(context.WithoutCancel(ctx), `DO RELEASE_LOCK(`+lockName+`)`) }()
	if err := completeVersions(ctx, conn); err != nil {
		return 0, translate(err)
	}
	done, err := provider.Up(ctx)
	var partial *goose.PartialError
	if errors.As(err, &partial) {
		done = partial.Applied
		err = fmt.Errorf("migration %d, which the next start resumes: %w", partial.Failed.Source.Version, partial.Err)
	}
	if err != nil {
		return len(done), fmt.Errorf("migrating the schema: %w", translate(err))
	}
	return len(done), nil
}

// isInterrupted reports whether a migration failed because of the database: it cannot be reached, or a node is
// leaving the others or joining them again.
func isInterrupted(err error) bool {
	var my *mysql.MySQLError
	return errors.Is(err, ErrUnavailable) || errors.Is(err, ErrBusy) ||
		errors.As(err, &my) && my.Number == commitFailed
}

// completeVersions adds the first row of the migrator's table if the migrator was interrupted before it.
func completeVersions(ctx context.Context, conn *sql.Conn) error {
	there, err := hasTable(ctx, conn, migratorsTable)
	if err != nil || !there {
		return err
	}
	_, err = conn.ExecContext(ctx, `INSERT INTO `+migratorsTable+` (version_id, is_applied)
		SELECT 0, TRUE FROM DUAL WHERE NOT EXISTS (SELECT * FROM `+migratorsTable+`)`)
	return err
}

// SchemaVersions returns the schema's version in the database and the one of this program.
func (s *Store) SchemaVersions(ctx context.Context) (have, want int64, err error) {
	provider, err := s.provider()
	if err != nil {
		return 0, 0, err
	}
	have, want, err = provider.GetVersions(ctx)
	return have, want, translate(err)
}

func (s *Store) provider() (*goose.Provider, error) {
	all, err := allMigrations()
	if err != nil {
		return nil, err
	}
	steps := make([]*goose.Migration, len(all))
	for i, m := range all {
		steps[i] = goose.NewGoMigration(m.version, &goose.GoFunc{RunTx: m.apply}, &goose.GoFunc{RunTx: m.revert})
	}
	return goose.NewProvider(goose.DialectMySQL, s.patient, nil, goose.WithVerbose(false),
		goose.WithDisableGlobalRegistry(true), goose.WithGoMigrations(steps...))
}

// The name contains the schema, since one server can have several.
const lockName = `CONCAT('dtally-migrate-', DATABASE())`

// lockMigrations takes a named lock of the database server, held by one connection. The migrator's own lock comes too
// late: it reads the schema before it waits.
func lockMigrations(ctx context.Context, conn *sql.Conn) error {
	var got sql.NullInt64
	if err := conn.QueryRowContext(ctx, `SELECT GET_LOCK(`+lockName+`, 60)`).Scan(&got); err != nil {
		return err
	}
	if got.Int64 != 1 {
		return errors.New("another instance has been migrating the schema for a minute")
	}
	return nil
}
