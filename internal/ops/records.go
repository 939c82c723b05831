package ops

import (
	"context"
	"errors"
	"fmt"
	"log/slog"

	"github.com/go-sql-driver/mysql"

	"dappertally/internal/localdb"
	"dappertally/internal/store"
)

// records is the configured database: one that an administrator runs, or a private one.
type records struct {
	*store.Store
	private *localdb.Server // nil: not private
}

// open connects to the configured database and checks that it answers and is complete. It starts a private database
// unless another process runs it.
func open(ctx context.Context, s *Settings) (*records, error) {
	return whole(ctx)(reach(ctx, s))
}

// openToServe is open for the service, which keeps a private database running and creates one if there is none.
func openToServe(ctx context.Context, s *Settings) (*records, error) {
	if s.Data == "" {
		return open(ctx, s)
	}
	return whole(ctx)(privately(ctx, func() (*localdb.Server, error) { return localdb.Start(ctx, s.Data) }))
}

// whole refuses a database with an incomplete restore.
func whole(ctx context.Context) func(*records, error) (*records, error) {
	return func(r *records, err error) (*records, error) {
		if err != nil {
			return nil, err
		}
		if err := r.Whole(ctx); err != nil {
			return nil, errors.Join(err, r.Close())
		}
		return r, nil
	}
}

// reach connects to the configured database and checks that it answers.
func reach(ctx context.Context, s *Settings) (*records, error) {
	if s.Data != "" {
		return privately(ctx, func() (*localdb.Server, error) { return localdb.Use(ctx, s.Data) })
	}
	if s.Database == "" {
		return nil, errors.New(
			"no database is set; use --data FOLDER for a private one, or --database, DTALLY_DATABASE or " +
				"database in the settings file, as USER:PASSWORD@tcp(HOST:PORT)/SCHEMA",
		)
	}
	st, err := store.Open(s.Database)
	if err != nil {
		return nil, err
	}
	r := &records{Store: st}
	return r, r.answers(ctx)
}

// reachOrMake is reach, but creates a private database if the folder holds none.
func reachOrMake(ctx context.Context, s *Settings) (*records, error) {
	if s.Data != "" && !localdb.Holds(s.Data) {
		return privately(ctx, func() (*localdb.Server, error) { return localdb.Start(ctx, s.Data) })
	}
	return reach(ctx, s)
}

// privately connects to a private database.
func privately(ctx context.Context, get func() (*localdb.Server, error)) (*records, error) {
	server, err := get()
	if err != nil {
		return nil, err
	}
	st, err := store.Open(server.DSN(localdb.Schema))
	if err != nil {
		server.Stop()
		return nil, err
	}
	st.Room = server.Room
	r := &records{Store: st, private: server}
	return r, r.answers(ctx)
}

// answers checks that the database answers, and closes it otherwise.
func (r *records) answers(ctx context.Context) error {
	if err := r.Ping(ctx); err != nil {
		return errors.Join(unanswered(err), r.Close())
	}
	return nil
}

// Close ends all connections, and stops a private database that this process started.
func (r *records) Close() error {
	err := r.Store.Close()
	if r.private != nil {
		r.private.Stop()
	}
	return err
}

// keep starts a private database again whenever it ends by itself, until ctx ends. It returns at once if the database
// is not private, and with an error if the data is gone.
func (r *records) keep(ctx context.Context, log *slog.Logger) error {
	if r.private == nil {
		return nil
	}
	return r.private.Keep(ctx, log)
}

// unanswered explains why the database could not be opened: it is away, it refuses the account, or there is no such
// schema.
func unanswered(err error) error {
	var no *mysql.MySQLError
	const denied, deniedSchema, noSchema = 1045, 1044, 1049
	switch {
	case !errors.As(err, &no):
		return fmt.Errorf("the database cannot be reached; check that it is running and that its address is correct "+
			"(%w)", err)
	case no.Number == denied:
		return fmt.Errorf("the database rejects the account: the name or password is wrong (%w)", err)
	case no.Number == deniedSchema:
		return fmt.Errorf("the account has no rights on the schema; grant it all rights there (%w)", err)
	case no.Number == noSchema:
		return fmt.Errorf("the database has no such schema; create it first (%w)", err)
	}
	return fmt.Errorf("the database answers with an error: %w", err)
}
