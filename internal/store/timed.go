package store

import (
	"context"
	"database/sql/driver"
	"strings"
	"sync/atomic"
	"time"

	"go.opentelemetry.io/otel"
	"go.opentelemetry.io/otel/attribute"
	"go.opentelemetry.io/otel/codes"
	"go.opentelemetry.io/otel/trace"
)

// Spent is how long the database worked for one request. Several goroutines may add to it.
type Spent struct{ nanoseconds, statements atomic.Int64 }

// Time returns how long statements took until their first row, or until they were done.
func (s *Spent) Time() time.Duration { return time.Duration(s.nanoseconds.Load()) }

// Statements returns how many statements were sent; the beginning and the end of a transaction count as one each.
func (s *Spent) Statements() int64 { return s.statements.Load() }

type spentKey struct{}

// WithSpent returns a context whose statements are counted, and the counter.
func WithSpent(ctx context.Context) (context.Context, *Spent) {
	s := &Spent{}
	return context.WithValue(ctx, spentKey{}, s), s
}

// timed opens connections whose statements are timed, and traced if their request is.
type timed struct{ driver.Connector }

// Connect opens a connection.
func (t timed) Connect(ctx context.Context) (driver.Conn, error) {
	opened, err := t.Connector.Connect(ctx)
	if err != nil {
		return nil, err
	}
	return timedConn{opened.(wholeConn)}, nil
}

// wholeConn is everything that a connection of the MySQL driver implements.
type wholeConn interface {
	driver.Conn
	driver.Pinger
	driver.QueryerContext
	driver.ExecerContext
	driver.ConnBeginTx
	driver.ConnPrepareContext
	driver.NamedValueChecker
	driver.SessionResetter
	driver.Validator
}

type timedConn struct{ wholeConn }

// QueryContext sends a statement that returns rows.
func (c timedConn) QueryContext(ctx context.Context, query string, args []driver.NamedValue) (driver.Rows, error) {
	start := time.Now()
	rows, err := c.wholeConn.QueryContext(ctx, query, args)
	took(ctx, query, start, err)
	return rows, err
}

// ExecContext sends a statement that returns no rows.
func (c timedConn) ExecContext(ctx context.Context, query string, args []driver.NamedValue) (driver.Result, error) {
	start := time.Now()
	done, err := c.wholeConn.ExecContext(ctx, query, args)
	took(ctx, query, start, err)
	return done, err
}

// BeginTx begins a transaction, whose end is timed too.
func (c timedConn) BeginTx(ctx context.Context, options driver.TxOptions) (driver.Tx, error) {
	start := time.Now()
	tx, err := c.wholeConn.BeginTx(ctx, options)
	took(ctx, "BEGIN", start, err)
	if err != nil {
		return nil, err
	}
	return timedTx{tx, ctx}, nil
}

type timedTx struct {
	driver.Tx
	ctx context.Context
}

// Commit commits the transaction.
func (t timedTx) Commit() error {
	start := time.Now()
	err := t.Tx.Commit()
	took(t.ctx, "COMMIT", start, err)
	return err
}

// Rollback rolls the transaction back.
func (t timedTx) Rollback() error {
	start := time.Now()
	err := t.Tx.Rollback()
	took(t.ctx, "ROLLBACK", start, err)
	return err
}

// took counts a statement for its request, and adds it to the trace of the request. The statement contains
// placeholders, so a trace contains no records.
func took(ctx context.Context, statement string, start time.Time, err error) {
	end := time.Now()
	if s, ok := ctx.Value(spentKey{}).(*Spent); ok {
		s.nanoseconds.Add(int64(end.Sub(start)))
		s.statements.Add(1)
	}
	if !trace.SpanFromContext(ctx).IsRecording() {
		return
	}
	verb, _, _ := strings.Cut(strings.TrimSpace(statement), " ")
	_, span := otel.Tracer("dappertally/store").Start(ctx, verb, trace.WithTimestamp(start),
		trace.WithSpanKind(trace.SpanKindClient),
		trace.WithAttributes(attribute.String("db.system.name", "mariadb"), attribute.String("db.query.text", statement)),
	)
	if err != nil {
		span.SetStatus(codes.Error, "the statement failed") // the error itself can contain values
	}
	span.End(trace.WithTimestamp(end))
}
